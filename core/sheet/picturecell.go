package sheet

import (
	"fmt"
	"net/netip"
	"net/url"
	"path"
	"slices"
	"strconv"
	"strings"
)

// notAPicture says why a cell can name no picture; "" where it can. A name needs no
// ending.
func notAPicture(value string) string {
	if IsAddress(value) {
		if u, err := url.Parse(value); err != nil || u.Hostname() == "" {
			return "The address cannot be read."
		}
		return ""
	}
	if len(value) > 1000 {
		return "The name is longer than 1,000 characters."
	}
	ending := strings.ToLower(path.Ext(value))
	switch ending {
	case ".doc", ".docx", ".xls", ".xlsx", ".csv", ".txt", ".pdf", ".zip", ".rar", ".7z", ".mp4", ".mov", ".html", ".htm", ".exe", ".xml":
		return fmt.Sprintf("A file that ends in %s is no picture.", ending)
	}
	return ""
}

// privateHost tells whether an address names a host inside a network by its
// number. What a name leads to is checked when it is fetched.
func privateHost(address string) bool {
	u, err := url.Parse(address)
	if err != nil {
		return false
	}
	host := strings.ToLower(u.Hostname())
	if host == "localhost" || strings.HasSuffix(host, ".localhost") || strings.HasSuffix(host, ".local") {
		return true
	}
	ip, err := netip.ParseAddr(host)
	return err == nil && (ip.IsPrivate() || ip.IsLoopback() || ip.IsLinkLocalUnicast() || ip.IsUnspecified() || ip.IsMulticast())
}

// judgePictures takes the pictures that the row names, each with what stands
// beside it.
func (r *rowJudge) judgePictures() {
	pictures := r.values[Picture]
	for i, value := range pictures {
		named := NamedPicture{Column: value.column, Name: value.text, Lead: r.columns[value.column].main}
		if why := notAPicture(value.text); why != "" {
			r.say(value.column, NotAPicture, false, why, emptyIt)
			continue
		}
		if IsAddress(value.text) && privateHost(value.text) {
			inside := r.say(value.column, PrivateHost, false, "The address is inside a network, and is not fetched.", emptyIt,
				Remedy{Do: Keep, Words: "It is ours: fetch it"})
			if inside {
				continue
			}
		}
		r.judgeFile(value)
		named.View, named.Alt, named.Rights = r.beside(View, value.column), r.beside(Alt, value.column), r.text(Rights)
		if text := r.beside(Place, value.column); text != "" {
			named.Place = r.place(text, i)
		}
		r.out.Wanted.Pictures = append(r.out.Wanted.Pictures, named)
	}
	if value, there := r.first(Lead); there {
		yes, said := YesOrNo(value.text)
		if !said {
			r.say(value.column, NotYesNo, true, fmt.Sprintf("%q says neither yes nor no.", Clip(value.text)), emptyIt)
		} else if yes && len(r.out.Wanted.Pictures) > 0 {
			r.out.Wanted.Pictures[0].Lead = true
		}
	}
	if value, there := r.first(Place); there && len(r.of[Place]) == 1 {
		if _, ok := placeOf(value.text); !ok {
			r.say(value.column, NotAPlace, true, fmt.Sprintf("%q is no place: a number from 1 on is expected.", Clip(value.text)), emptyIt)
		}
	}
}

// judgeFile looks whether the library has a file that a cell names: in any case, with or
// without its ending, in any folder.
func (r *rowJudge) judgeFile(value cellValue) {
	if IsAddress(value.text) {
		r.judgeFetched(value)
		return
	}
	files, looked := r.known.Files(FileStem(FileKey(value.text)))
	if !looked {
		return
	}
	files = Meant(value.text, files, LibraryFile.InLot)
	var different []LibraryFile // the newest of each
	lots := []string{}
	for _, f := range files {
		if !slices.ContainsFunc(different, func(o LibraryFile) bool { return o.Sum == f.Sum }) {
			different = append(different, f)
		}
		if !slices.Contains(lots, f.Lot) {
			lots = append(lots, f.Lot)
		}
	}
	switch {
	case len(different) == 0:
		r.say(value.column, Missing, false, fmt.Sprintf("No file that came is called %q.", Clip(value.text)))
	case len(different) > 1:
		r.say(value.column, Contested, false, fmt.Sprintf("%d different files are called %q, in %s.", len(different), Clip(value.text),
			strings.Join(lots[:min(len(lots), mostOffered)], ", ")), r.oneOf(value, different)...)
	}
}

// mostOffered is how many of contested files are offered.
const mostOffered = 4

// oneOf are the remedies of a cell that several files are meant by: each is named with its
// lot and folders in front, where that tells it from the others and the cell can be written
// so.
func (r *rowJudge) oneOf(value cellValue, different []LibraryFile) (remedies []Remedy) {
	if value.column >= len(r.cells) {
		return nil
	}
	for _, f := range different {
		alone := func(o LibraryFile) bool { return o.Sum != f.Sum }
		if meant := Meant(f.InLot(), different, LibraryFile.InLot); slices.ContainsFunc(meant, alone) {
			continue
		}
		taken := strings.Replace(Clean(r.cells[value.column]), value.text, f.InLot(), 1)
		if !r.reads(value, taken, f.InLot()) {
			continue // a step makes something else of it: its lot's name holds what separates names, say
		}
		if remedies = append(remedies, Remedy{Do: Take, Value: taken, Words: Clip(f.InLot()), Sum: f.Sum}); len(remedies) == mostOffered {
			break
		}
	}
	return remedies
}

// reads tells whether the steps of a value's column would read that value as another, and
// all others of its cell as they are, where the cell held a text.
func (r *rowJudge) reads(value cellValue, cell, other string) bool {
	cells := slices.Clone(r.cells)
	cells[value.column] = cell
	values, err := r.columns[value.column].steps.of(cells, value.column)
	var wanted []string
	for _, v := range r.values[Picture] {
		switch {
		case v == value:
			wanted = append(wanted, Key(other))
		case v.column == value.column:
			wanted = append(wanted, Key(v.text))
		}
	}
	return err == nil && slices.EqualFunc(values, wanted, func(a, b string) bool { return Key(a) == b })
}

// judgeFetched looks what came from an address: a picture, something else, or nothing yet.
func (r *rowJudge) judgeFetched(value cellValue) {
	file, came, looked := r.known.Fetched(value.text)
	switch {
	case !looked:
	case !came:
		r.say(value.column, NotFetched, false, "It is not fetched yet.", emptyIt)
	case file.Problem != "":
		r.say(value.column, NotAPicture, false, "What came from this address cannot be used: "+file.Problem+".", emptyIt)
	}
}

// beside returns what a column of a field says of the picture in another: the
// column that belongs to it where there are as many, else the only one.
func (r *rowJudge) beside(f Field, picture int) string {
	columns := r.of[f]
	if len(columns) == 0 {
		return ""
	}
	at := 0
	if len(columns) > 1 {
		at = slices.Index(r.of[Picture], picture)
		if at >= len(columns) {
			return ""
		}
	}
	for _, value := range r.values[f] {
		if value.column == columns[at] {
			return value.text
		}
	}
	return ""
}

// place is the place of the i-th picture of a row: what the row says, and the
// following for the following.
func (r *rowJudge) place(text string, i int) int {
	n, ok := placeOf(text)
	if !ok {
		return 0
	}
	if len(r.of[Place]) == 1 {
		n += i
	}
	return n
}

func placeOf(text string) (int, bool) {
	n, err := strconv.Atoi(strings.TrimSpace(text))
	return n, err == nil && n > 0 && n < 10_000
}
