package origin

import (
	"io/fs"
	"path"
	"strings"
)

// MostListed is how many bytes a drive may take to list one folder: some 300,000 names.
const MostListed = 64 << 20

// Listed returns the entries of a folder of what a drive lists in it. A drive may say anything: names that lead
// elsewhere ("..", a slash) or to nowhere are left out, and so is what is neither a file nor a folder.
func Listed(folder string, infos []fs.FileInfo) []Entry {
	entries := make([]Entry, 0, len(infos))
	for _, info := range infos {
		name := info.Name()
		if name == "" || name == "." || name == ".." || strings.ContainsAny(name, "/\x00") || !info.IsDir() && !info.Mode().IsRegular() {
			continue
		}
		entries = append(entries,
			Entry{Path: path.Join(folder, name), Folder: info.IsDir(), Bytes: max(0, info.Size()), Modified: info.ModTime()})
	}
	return entries
}
