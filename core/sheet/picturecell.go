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
	files = Meant(value.text, files, func(f LibraryFile) string { return f.Name })
	sums, lots := map[string]bool{}, []string{}
	for _, f := range files {
		sums[f.Sum] = true
		if !slices.Contains(lots, f.Lot) {
			lots = append(lots, f.Lot)
		}
	}
	switch {
	case len(sums) == 0:
		r.say(value.column, Missing, false, fmt.Sprintf("No file that came is called %q.", Clip(value.text)))
	case len(sums) > 1:
		r.say(value.column, Contested, false, fmt.Sprintf("%d different files are called %q, in %s.", len(sums), Clip(value.text),
			strings.Join(lots[:min(len(lots), 4)], ", ")))
	}
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
