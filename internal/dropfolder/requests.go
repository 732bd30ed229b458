package dropfolder

import (
	"bytes"
	"crypto/rand"
	"encoding/xml"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"path"
	"strings"
	"time"

	"golang.org/x/net/webdav"
)

// maxXML bounds the body of a request that is XML, bytes.
const maxXML = 1 << 20

// wellFormed refuses XML whose namespaces are not (Namespaces in XML 1.0,
// section 2.2: a prefix may not stand for nothing), which the parser lets pass.
func wellFormed(w http.ResponseWriter, r *http.Request) (body []byte, ok bool) {
	body, err := io.ReadAll(http.MaxBytesReader(w, r.Body, maxXML))
	if err != nil {
		http.Error(w, "The request is too large.", http.StatusRequestEntityTooLarge)
		return nil, false
	}
	r.Body = io.NopCloser(bytes.NewReader(body))
	r.ContentLength = int64(len(body))
	for tokens := xml.NewDecoder(bytes.NewReader(body)); ; {
		token, err := tokens.Token()
		if err != nil {
			return body, true // what else is wrong is for the handler to say
		}
		element, _ := token.(xml.StartElement)
		for _, attribute := range element.Attr {
			if attribute.Name.Space == "xmlns" && attribute.Value == "" {
				http.Error(w, "A namespace prefix stands for nothing.", http.StatusBadRequest)
				return nil, false
			}
		}
	}
}

type lockRequest struct {
	XMLName xml.Name  `xml:"DAV: lockinfo"`
	Shared  *struct{} `xml:"DAV: lockscope>shared"`
	Owner   struct {
		Inner string `xml:",innerxml"`
	} `xml:"DAV: owner"`
}

// locksShared answers a request for a shared lock, which the handler does not
// know; it tells whether the request was one.
func (p *person) locksShared(w http.ResponseWriter, r *http.Request, body []byte) bool {
	var asked lockRequest
	if len(body) == 0 || xml.Unmarshal(body, &asked) != nil || asked.Shared == nil {
		return false
	}
	all, held := p.files, p.locks
	name := all.find(r.URL.Path)
	details := webdav.LockDetails{Root: name, Duration: lockTime, OwnerXML: asked.Owner.Inner, ZeroDepth: r.Header.Get("Depth") == "0"}
	token := "urn:ambrosa:" + rand.Text()
	if err := held.share(time.Now(), details, token); err != nil {
		http.Error(w, "It is locked.", webdav.StatusLocked)
		return true
	}
	status := http.StatusOK
	if _, err := all.Stat(r.Context(), name); os.IsNotExist(err) {
		file, err := all.OpenFile(r.Context(), name, os.O_RDWR|os.O_CREATE, 0o600)
		if err != nil {
			_ = held.Unlock(time.Now(), token)
			http.Error(w, "It cannot be made: its folder is missing.", http.StatusConflict)
			return true
		}
		_ = file.Close()
		status = http.StatusCreated
	}
	depth := "infinity"
	if details.ZeroDepth {
		depth = "0"
	}
	w.Header().Set("Lock-Token", "<"+token+">")
	w.Header().Set("Content-Type", "application/xml; charset=utf-8")
	w.WriteHeader(status)
	var root bytes.Buffer
	_ = xml.EscapeText(&root, []byte(r.URL.EscapedPath()))
	fmt.Fprintf(
		w,
		`<?xml version="1.0" encoding="utf-8"?><D:prop xmlns:D="DAV:"><D:lockdiscovery><D:activelock><D:locktype><D:write/></D:locktype>`+
			`<D:lockscope><D:shared/></D:lockscope>`+
			`<D:depth>%s</D:depth><D:owner>%s</D:owner><D:timeout>Second-%d</D:timeout><D:locktoken><D:href>%s</D:href></D:locktoken>`+
			`<D:lockroot><D:href>%s</D:href></D:lockroot>`+
			`</D:activelock></D:lockdiscovery></D:prop>`,
		depth,
		details.OwnerXML,
		int(lockTime.Seconds()),
		token,
		root.String(),
	)
	return true
}

// lockTime is how long a shared lock lasts unless it is refreshed.
const lockTime = time.Hour

// conditionsHold leaves out of an If header (RFC 4918, section 10.4) the lists
// that do not hold because of an entity tag, which the handler does not look
// at. It answers 412 and returns false when no list is left.
func (p *person) conditionsHold(w http.ResponseWriter, r *http.Request) bool {
	header := r.Header.Get("If")
	if !strings.Contains(header, "[") {
		return true
	}
	left, lists, about := "", 0, r.URL.Path
	for rest := strings.TrimSpace(header); rest != ""; rest = strings.TrimSpace(rest) {
		tag := ""
		if rest[0] == '<' { // the resource that the lists behind it are about
			end := strings.IndexByte(rest, '>')
			if end < 0 {
				return true // malformed: for the handler to say
			}
			tag, rest = rest[:end+1], rest[end+1:]
			left += tag
			if resource, err := url.Parse(strings.Trim(tag, "<>")); err == nil {
				about = resource.Path
			}
			continue
		}
		end := strings.IndexByte(rest, ')')
		if rest[0] != '(' || end < 0 {
			return true
		}
		list := rest[1:end]
		rest = rest[end+1:]
		lists++
		if kept, holds := p.listHolds(p.entityTag(r, about), list); holds {
			left += "(" + kept + ")"
		}
	}
	if lists > 0 && !strings.Contains(left, "(") {
		http.Error(w, "The conditions do not hold.", http.StatusPreconditionFailed)
		return false
	}
	r.Header.Set("If", left)
	return true
}

// listHolds tells whether a list's entity tags are tag, that of the resource, and
// whether its "Not <DAV:no-lock>" leave it open; kept is what the handler shall
// look at of it.
func (p *person) listHolds(tag, list string) (kept string, holds bool) {
	for rest := strings.TrimSpace(list); rest != ""; rest = strings.TrimSpace(rest) {
		not := false
		if after, found := strings.CutPrefix(rest, "Not"); found {
			not, rest = true, strings.TrimSpace(after)
		}
		if rest == "" {
			return list, true // malformed: for the handler to say
		}
		closing := map[byte]byte{'<': '>', '[': ']'}[rest[0]]
		end := strings.IndexByte(rest, closing)
		if closing == 0 || end < 0 {
			return list, true
		}
		part := rest[:end+1]
		rest = rest[end+1:]
		if part[0] == '[' {
			if (part[1:len(part)-1] == tag) == not {
				return "", false
			}
			continue
		}
		if not {
			kept += "Not "
		}
		kept += part + " "
	}
	return strings.TrimSpace(kept), true
}

// entityTag is the one that the handler gives a file.
func (p *person) entityTag(r *http.Request, name string) string {
	info, err := p.files.Stat(r.Context(), path.Clean(name))
	if err != nil {
		return ""
	}
	return fmt.Sprintf(`"%x%x"`, info.ModTime().UnixNano(), info.Size())
}
