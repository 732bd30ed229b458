package origin

import (
	"fmt"
	"io/fs"
	"path"
	"strings"
)

// MostListed is how many bytes a drive may take to list one folder: some 400,000 files over WebDAV, four times as many
// over SFTP.
const MostListed = 256 << 20

// TooLong says that the list of a folder is longer than that.
func TooLong(folder, host string, cause error) error {
	return Faulty(fmt.Sprintf("the list of the folder /%s at %s is longer than %d MB; divide the folder", folder, host,
		MostListed>>20), false, cause)
}

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
