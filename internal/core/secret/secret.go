// Package secret keeps passwords and keys of other systems encrypted at rest:
// AES-256-GCM (NIST SP 800-38D) with a key that is not in the database. Several keys
// may be known; the first encrypts, all decrypt, so that keys can be changed.
package secret

import (
	"crypto/aes"
	"crypto/cipher"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"strings"

	"uchi/internal/core/fault"
)

// KeyBytes is the length of a key.
const KeyBytes = 32

// ErrNoKey says that the service was started without a key.
var ErrNoKey = fault.New(fault.Conflict, "no_key", "the service has no key to keep passwords with").
	Mended("Make one with uchi key, and start the service with --key-file or UCHI_KEY.")

var errOtherKey = fault.New(fault.Conflict, "other_key",
	"the password was kept with a key that the service does not have").
	Mended("Start the service with the older key behind the new one, or give the password again.")

// Box keeps secrets; the zero value keeps none.
type Box struct {
	keys []key
}

type key struct {
	id   string // the beginning of its hash, by which it is known in what it has encrypted
	aead cipher.AEAD
}

// NewKey makes a key, as New reads it.
func NewKey() string {
	b := make([]byte, KeyBytes)
	rand.Read(b) //nolint:errcheck // never fails
	return base64.StdEncoding.EncodeToString(b)
}

// New reads keys, one in a line, each in Base64; the first encrypts.
func New(text string) (Box, error) {
	var b Box
	for line := range strings.Lines(text) {
		line = strings.TrimSpace(line)
		if line == "" || strings.HasPrefix(line, "#") {
			continue
		}
		raw, err := base64.StdEncoding.DecodeString(line)
		if err != nil || len(raw) != KeyBytes {
			return Box{}, fault.New(fault.Invalid, "bad_key",
				"a key for passwords is 32 bytes in Base64").Mended("Make one with uchi key.")
		}
		block, err := aes.NewCipher(raw)
		if err != nil {
			return Box{}, err
		}
		aead, err := cipher.NewGCM(block)
		if err != nil {
			return Box{}, err
		}
		sum := sha256.Sum256(raw)
		b.keys = append(b.keys, key{hex.EncodeToString(sum[:4]), aead})
	}
	return b, nil
}

// Keeps reports whether the box can keep secrets.
func (b Box) Keeps() bool { return len(b.keys) > 0 }

// Seal encrypts a secret for a purpose: it can be opened for no other.
func (b Box) Seal(plain, purpose string) (string, error) {
	if !b.Keeps() {
		return "", ErrNoKey
	}
	k := b.keys[0]
	nonce := make([]byte, k.aead.NonceSize())
	rand.Read(nonce) //nolint:errcheck // never fails
	return k.id + "." + base64.RawStdEncoding.EncodeToString(k.aead.Seal(nonce, nonce, []byte(plain), []byte(purpose))),
		nil
}

// Open decrypts a secret that was sealed for the purpose; a blank one is blank.
func (b Box) Open(sealed, purpose string) (string, error) {
	if sealed == "" {
		return "", nil
	}
	id, text, _ := strings.Cut(sealed, ".")
	for _, k := range b.keys {
		if k.id != id {
			continue
		}
		raw, err := base64.RawStdEncoding.DecodeString(text)
		if err != nil || len(raw) < k.aead.NonceSize() {
			return "", errOtherKey
		}
		plain, err := k.aead.Open(nil, raw[:k.aead.NonceSize()], raw[k.aead.NonceSize():], []byte(purpose))
		if err != nil {
			return "", errOtherKey
		}
		return string(plain), nil
	}
	if !b.Keeps() {
		return "", ErrNoKey
	}
	return "", errOtherKey
}

// Current reports whether a secret was sealed with the first key.
func (b Box) Current(sealed string) bool {
	return b.Keeps() && strings.HasPrefix(sealed, b.keys[0].id+".")
}
