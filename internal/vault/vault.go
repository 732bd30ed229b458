// Package vault encrypts what must not be read from the database: passwords and
// keys of origins. It uses AES-256 in Galois/Counter Mode (NIST SP 800-38D)
// with a random nonce in front of each text.
package vault

import (
	"crypto/aes"
	"crypto/cipher"
	"crypto/rand"
	"encoding/base64"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
)

// Vault seals and opens secrets.
type Vault struct{ gcm cipher.AEAD }

// ErrKey means that a secret was sealed with another key.
var ErrKey = errors.New("sealed with another key")

// Open returns a vault with a key of 32 bytes in base64; where it is empty, with
// the key in file, which is made at the first start.
func Open(key, file string) (*Vault, error) {
	if key == "" {
		var err error
		if key, err = keyIn(file); err != nil {
			return nil, err
		}
	}
	raw, err := base64.StdEncoding.DecodeString(strings.TrimSpace(key))
	if err != nil || len(raw) != 32 {
		return nil, errors.New("the key for secrets is not 32 bytes in base64")
	}
	block, err := aes.NewCipher(raw)
	if err != nil {
		return nil, err
	}
	gcm, err := cipher.NewGCM(block)
	return &Vault{gcm}, err
}

func keyIn(file string) (string, error) {
	content, err := os.ReadFile(file)
	if err == nil {
		return string(content), nil
	}
	if !errors.Is(err, os.ErrNotExist) {
		return "", fmt.Errorf("read the key for secrets: %w", err)
	}
	raw := make([]byte, 32)
	_, _ = rand.Read(raw) // never fails, see crypto/rand
	if err := os.MkdirAll(filepath.Dir(file), 0o755); err != nil {
		return "", err
	}
	made, err := os.OpenFile(file, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
	if errors.Is(err, os.ErrExist) {
		return keyIn(file) // another process was first
	}
	if err != nil {
		return "", fmt.Errorf("keep a key for secrets: %w", err)
	}
	key := base64.StdEncoding.EncodeToString(raw)
	_, err = made.WriteString(key + "\n")
	return key, errors.Join(err, made.Sync(), made.Close())
}

// Seal encrypts a text. about is bound to it: it opens with the same only.
func (v *Vault) Seal(text, about string) []byte {
	nonce := make([]byte, v.gcm.NonceSize())
	_, _ = rand.Read(nonce)
	return v.gcm.Seal(nonce, nonce, []byte(text), []byte(about))
}

// Open decrypts what Seal made. The error is ErrKey where the key or about is
// another, or the bytes were changed.
func (v *Vault) Open(sealed []byte, about string) (string, error) {
	if len(sealed) < v.gcm.NonceSize() {
		return "", ErrKey
	}
	text, err := v.gcm.Open(nil, sealed[:v.gcm.NonceSize()], sealed[v.gcm.NonceSize():], []byte(about))
	if err != nil {
		return "", ErrKey
	}
	return string(text), nil
}
