package vault

import (
	"bytes"
	"encoding/base64"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

func TestSecretsOpenWithTheirKeyAndName(t *testing.T) {
	file := filepath.Join(t.TempDir(), "data", "key")
	v, err := Open("", file)
	if err != nil {
		t.Fatal(err)
	}
	sealed := v.Seal("clover & honey", "webdav/password")
	if bytes.Contains(sealed, []byte("clover")) || bytes.Equal(sealed, v.Seal("clover & honey", "webdav/password")) {
		t.Error("the same secret looks the same, or can be read")
	}
	again, err := Open("", file)
	if err != nil {
		t.Fatal(err)
	}
	if text, err := again.Open(sealed, "webdav/password"); text != "clover & honey" || err != nil {
		t.Errorf("%q %v", text, err)
	}
	if info, err := os.Stat(file); err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("the key's file: %v %v", info.Mode(), err)
	}
	other, err := Open(base64.StdEncoding.EncodeToString(bytes.Repeat([]byte{7}, 32)), file)
	if err != nil {
		t.Fatal(err)
	}
	changed := bytes.Clone(sealed)
	changed[len(changed)-1] ^= 1
	for name, open := range map[string]func() (string, error){
		"another key":   func() (string, error) { return other.Open(sealed, "webdav/password") },
		"another name":  func() (string, error) { return v.Open(sealed, "sftp/password") },
		"changed bytes": func() (string, error) { return v.Open(changed, "webdav/password") },
		"no bytes":      func() (string, error) { return v.Open(nil, "webdav/password") },
	} {
		if text, err := open(); !errors.Is(err, ErrKey) || text != "" {
			t.Errorf("%s: %q %v", name, text, err)
		}
	}
	if _, err := Open("short", file); err == nil || strings.Contains(err.Error(), "short") {
		t.Errorf("a key that is none: %v", err)
	}
}
