package plan

import (
	"strings"
	"testing"

	"ambrosa/core/upkeep"
)

func look(bits uint64, tint byte) upkeep.Look {
	return upkeep.Look{Fingerprint: bits, Tint: strings.Repeat(string([]byte{tint}), upkeep.TintBytes)}
}

// TestLikeForLikeByLook replaces the smaller of two pictures of one look,
// whatever their views and places are.
func TestLikeForLikeByLook(t *testing.T) {
	const print = 0x0f0f_1234_5678_9abc
	standing := Arrangement{of(0): {entry(1, "front"), entry(2, "back"), entry(3, "")}}
	for _, c := range []struct {
		name  string
		fact  Fact
		stand Fact
		want  string
	}{
		{"larger, the same look", Fact{Pixels: 400, Look: look(print, 100)}, Fact{Pixels: 100, Look: look(print, 100)}, "1 9 3"},
		{"larger, seven bits and nine shades apart", Fact{Pixels: 400, Look: look(print^0b1111111, 109)},
			Fact{Pixels: 100, Look: look(print, 100)}, "1 9 3"},
		{"eight bits apart", Fact{Pixels: 400, Look: look(print^0b11111111, 100)}, Fact{Pixels: 100, Look: look(print, 100)}, "1 2 3"},
		{"another colour", Fact{Pixels: 400, Look: look(print, 130)}, Fact{Pixels: 100, Look: look(print, 100)}, "1 2 3"},
		{"smaller", Fact{Pixels: 50, Look: look(print, 100)}, Fact{Pixels: 100, Look: look(print, 100)}, "1 2 3"},
		{"without a fingerprint", Fact{Pixels: 400}, Fact{Pixels: 100}, "1 2 3"},
	} {
		facts := Facts{"sum9": c.fact, "sum2": c.stand, "sum1": {Pixels: 10, Look: look(^uint64(print), 0)}}
		got, warnings := Arrange(standing, []Arriving{arriving(9, 0, "", "nine.jpg")}, LikeForLike, facts)
		if files(got[of(0)]) != c.want || (c.want == "1 2 3") != (kinds(warnings) == "unmatched") {
			t.Errorf("%s: %s (%s)", c.name, files(got[of(0)]), kinds(warnings))
		}
	}
}

func TestWarnOfPictures(t *testing.T) {
	const print = 0x0f0f_1234_5678_9abc
	large, small := Fact{Pixels: 4_000_000, Look: look(print, 90)}, Fact{Pixels: 1_000_000, Look: look(print, 90)}
	other := Fact{Pixels: 2_000_000, Look: look(^uint64(print), 10)}
	one, two := entry(1, "front"), entry(2, "")
	for _, c := range []struct {
		name          string
		before, after []Entry
		facts         Facts
		want, says    string
	}{
		{"nothing to say", []Entry{one}, []Entry{one, two}, Facts{"sum1": large, "sum2": other}, "", ""},
		{"a smaller lead", []Entry{one}, []Entry{two, one}, Facts{"sum1": large, "sum2": other}, "smaller lead", "2.0 instead of 4.0 megapixels"},
		{"a larger lead", []Entry{two}, []Entry{one, two}, Facts{"sum1": large, "sum2": other}, "", ""},
		{"a lead of unknown size", []Entry{one}, []Entry{two, one}, Facts{"sum1": large}, "", ""},
		{"a larger one of what stands", []Entry{two}, []Entry{two, one}, Facts{"sum1": large, "sum2": small}, "larger", "like for like"},
		{"larger than one and smaller than another that stand", []Entry{entry(3, ""), entry(4, "")}, []Entry{entry(3, ""), entry(4, ""), two},
			Facts{"sum2": {Pixels: 2_000_000, Look: look(print, 90)}, "sum3": small, "sum4": large}, "alike", "one picture is the same"},
		{"larger than two that stand", []Entry{entry(3, ""), entry(4, "")}, []Entry{entry(3, ""), entry(4, ""), one},
			Facts{"sum1": large, "sum3": small, "sum4": small}, "larger", "one picture is the same"},
		{"a smaller one of what stands", []Entry{one}, []Entry{one, two}, Facts{"sum1": large, "sum2": small}, "alike", "set it aside"},
		{"unclear rights", []Entry{one}, []Entry{one, two}, Facts{"sum1": large, "sum2": {Pixels: 1, HeldBack: "its rights are unknown"}},
			"rights", "its rights are unknown"},
		{"rights of what stands already", []Entry{one}, []Entry{one}, Facts{"sum1": {HeldBack: "restricted"}}, "", ""},
		{"too small", nil, []Entry{one, two}, Facts{"sum1": {Small: true}, "sum2": {Small: true}}, "small", "2 pictures are below"},
	} {
		got := Warn(Arrangement{of(7): c.before}, Arrangement{of(7): c.after}, c.facts)
		if kinds(got) != c.want || c.says != "" && !strings.Contains(got[0].Text, c.says) {
			t.Errorf("%s: %+v, want %s", c.name, got, c.want)
		}
	}
}

func TestAnOrderGivenByHand(t *testing.T) {
	standing := Arrangement{of(0): {entry(1, ""), entry(2, "")}, of(5): {entry(3, "")}}
	lot := []Arriving{arriving(11, 1, "", "a_1"), arriving(12, 1, "", "b_1"), arriving(14, 4, "", "c_4")}
	for _, c := range []struct {
		name   string
		orders Orders
		way    Way
		want   string
		warned string
	}{
		{"none", nil, After, "1 2 11 12 14", "collision gap"},
		{"arriving in front", Orders{of(0): {{File: 12}, {ID: 1, File: 1}, {File: 11}, {ID: 2, File: 2}, {File: 14}}}, After, "12 1 11 2 14", ""},
		{"what it does not know stays behind", Orders{of(0): {{File: 14}}}, After, "14 1 2 11 12", ""},
		{"of what does not stand any more", Orders{of(0): {{ID: 77, File: 77}, {File: 12}, {File: 11}}}, Instead, "12 11 14", ""},
		{"of another variant", Orders{of(6): {{File: 12}}}, After, "1 2 11 12 14", "collision gap"},
	} {
		got, warnings := c.orders.Settle(Arrange(standing, lot, c.way, nil))
		if files(got[of(0)]) != c.want || kinds(warnings) != c.warned || files(got[of(5)]) != "3" {
			t.Errorf("%s: %s (%s), want %s (%s)", c.name, files(got[of(0)]), kinds(warnings), c.want, c.warned)
		}
	}
	if files(standing[of(0)]) != "1 2" {
		t.Error("what stands was changed")
	}
}

func TestReports(t *testing.T) {
	done := Report{Of: "plan of spring.zip", Ended: "done", Products: 1240, Added: 3100, Moved: 2}
	if got := done.Title(); got != "Applied: plan of spring.zip, 1,240 products" {
		t.Error(got)
	}
	if got := done.ByHand().Seconds(); got != 1240*FindSeconds+3102*PlaceSeconds {
		t.Errorf("%f seconds by hand", got)
	}
	for _, c := range []struct {
		r     Report
		title string
		says  []string
		not   string
	}{
		{done, "Applied", []string{"1,240 products are as planned: 3,100 pictures added, 2 pictures moved.", "about 17 hours, reckoned at " +
			"20 seconds to find a product and 12 for each picture"}, "Not done"},
		{Report{Of: "it", Ended: "done", Products: 3, Added: 5, NotDone: []NotDone{{"HB-1", "the product changed since the plan was made"}},
			More: 2}, "Applied: it, but for 3 products",
			[]string{"Not done:\n  HB-1: the product changed since the plan was made\n  and 2 more", "about 2 minutes"}, "by choice"},
		{Report{Of: "it", Ended: "stopped", Products: 1, Added: 1, Left: 4}, "Stopped: it, 1 product done",
			[]string{"1 product is as planned", "4 products are still to be done"}, "By hand"},
		{Report{Of: "it", Ended: "failed", Left: 4, Why: "the disk is full"}, "Not finished: it", []string{"It ended because: the disk is " +
			"full"}, "Not done"},
		{Report{Of: "it", Ended: "done", Reverted: true, Products: 9, Added: 90}, "Taken back: it, 9 products",
			[]string{"9 products are as before."}, "By hand"},
		{Report{Of: "it", Ended: "done", Reverted: true, Products: 9, Lacking: 2}, "Taken back: it, 9 products",
			[]string{"2 of them lack some pictures that were purged"}, "Not done"},
		{Report{Of: "it", Ended: "done", Products: 2, LeftOut: 1}, "Applied: it, 2 products",
			[]string{"no picture had to change", "1 product was left out by choice"}, "By hand"},
	} {
		if !strings.HasPrefix(c.r.Title(), c.title) {
			t.Errorf("%q, expected %q", c.r.Title(), c.title)
		}
		text := c.r.Text()
		for _, says := range c.says {
			if !strings.Contains(text, says) {
				t.Errorf("%q does not say %q", text, says)
			}
		}
		if strings.Contains(text, c.not) {
			t.Errorf("%q says %q", text, c.not)
		}
	}
}
