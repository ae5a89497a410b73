package people

import (
	"context"
	"crypto/rand"
	"crypto/subtle"
	_ "embed"
	"encoding/base64"
	"fmt"
	"strings"
	"unicode/utf8"

	"golang.org/x/crypto/argon2"

	"pikegate/internal/core/fault"
)

// The costs of Argon2id, as OWASP advises them: KiB of memory, passes over it, threads.
const (
	memory, rounds, threads = 19 << 10, 2, 1
	keyBytes                = 32
	// mostHashing is how many passwords are tried at once; each takes the memory.
	mostHashing = 4
)

// nobody is what the password of a name that there is not is held to.
var nobody = encoded(make([]byte, 16), make([]byte, keyBytes))

func encoded(salt, key []byte) string {
	return fmt.Sprintf("$argon2id$v=%d$m=%d,t=%d,p=%d$%s$%s", argon2.Version, memory, rounds, threads, base64.RawStdEncoding.EncodeToString(salt), base64.RawStdEncoding.EncodeToString(key))
}

// hash is what is kept of a password.
func (p *People) hash(ctx context.Context, password string) (string, error) {
	if err := p.hashing.Acquire(ctx, 1); err != nil {
		return "", err
	}
	defer p.hashing.Release(1)
	salt := make([]byte, 16)
	_, _ = rand.Read(salt) // never fails
	return encoded(salt, argon2.IDKey([]byte(password), salt, rounds, memory, threads, keyBytes)), nil
}

// matches tells whether a password is the one of which this is kept, by the costs that it was kept with.
func (p *People) matches(ctx context.Context, password, kept string) (bool, error) {
	if err := p.hashing.Acquire(ctx, 1); err != nil {
		return false, err
	}
	defer p.hashing.Release(1)
	var version int
	var m, t uint32
	var n uint8
	var rest string
	if _, err := fmt.Sscanf(kept, "$argon2id$v=%d$m=%d,t=%d,p=%d$%s", &version, &m, &t, &n, &rest); err != nil || version != argon2.Version {
		return false, fmt.Errorf("what is kept of a password cannot be read: %w", err)
	}
	saltText, keyText, _ := strings.Cut(rest, "$")
	salt, err := base64.RawStdEncoding.DecodeString(saltText)
	if err != nil {
		return false, err
	}
	key, err := base64.RawStdEncoding.DecodeString(keyText)
	if err != nil {
		return false, err
	}
	got := argon2.IDKey([]byte(password), salt, t, m, n, uint32(len(key)))
	return subtle.ConstantTimeCompare(got, key) == 1, nil
}

// common are passwords that are tried first, in small letters, one a line.
//
//go:embed common.txt
var common string

const leastPassword, mostPassword = 10, 200

// weak says what is wrong with a password; nil where that is nothing.
func weak(name, password string) *fault.Fault {
	small := strings.ToLower(password)
	letters := map[rune]bool{}
	for _, r := range small {
		letters[r] = true
	}
	switch n := utf8.RuneCountInString(password); {
	case n < leastPassword || n > mostPassword:
		return fault.New(fault.PersonRefused, "a password has %d to %d letters; a sentence is a good one", leastPassword, mostPassword)
	case strings.Contains(small, strings.ToLower(name)):
		return fault.New(fault.PersonRefused, "a password does not hold the person's own name")
	case len(letters) < 5:
		return fault.New(fault.PersonRefused, "a password has five different letters at least")
	}
	for word := range strings.FieldsSeq(common) {
		if strings.Trim(small, "0123456789!.?-_ ") == word || small == word {
			return fault.New(fault.PersonRefused, "that password is one of those that are tried first; a sentence is a good one")
		}
	}
	return nil
}
