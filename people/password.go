package people

import (
	"crypto/rand"
	"crypto/subtle"
	"encoding/base64"
	"fmt"
	"strings"
	"sync"
	"unicode/utf8"

	"golang.org/x/crypto/argon2"
)

// The cost of argon2id: the first of the settings that the OWASP Password Storage Cheat
// Sheet names, 46 MiB, one pass, one lane.
const (
	memory  = 46 << 10 // KiB
	passes  = 1
	lanes   = 1
	keySize = 32
)

// atOnce bounds the memory that sign-ins take together.
var atOnce = make(chan struct{}, 4)

func derive(password string, salt []byte) []byte {
	atOnce <- struct{}{}
	defer func() { <-atOnce }()
	return argon2.IDKey([]byte(password), salt, passes, memory, lanes, keySize)
}

// Hash returns what is kept of a password: argon2id with a salt of its own, in the usual
// form $argon2id$v=19$m=…,t=…,p=…$salt$key.
func Hash(password string) string {
	salt := make([]byte, 16)
	_, _ = rand.Read(salt) // never fails
	return fmt.Sprintf("$argon2id$v=%d$m=%d,t=%d,p=%d$%s$%s", argon2.Version, memory, passes, lanes,
		base64.RawStdEncoding.EncodeToString(salt), base64.RawStdEncoding.EncodeToString(derive(password, salt)))
}

var nobody = sync.OnceValue(func() string { return Hash(rand.Text()) })

// Matches reports whether a password is the one of which hash is kept. With a hash that
// is none it takes as long and is false.
func Matches(hash, password string) bool {
	part := strings.Split(hash, "$")
	settings := fmt.Sprintf("m=%d,t=%d,p=%d", memory, passes, lanes)
	if len(part) != 6 || part[1] != "argon2id" || part[3] != settings {
		_ = Matches(nobody(), password)
		return false
	}
	salt, err := base64.RawStdEncoding.DecodeString(part[4])
	if err != nil {
		return false
	}
	key, err := base64.RawStdEncoding.DecodeString(part[5])
	return err == nil && subtle.ConstantTimeCompare(key, derive(password, salt)) == 1
}

const (
	shortest = 12 // characters; OWASP ASVS 2.1.1
	longest  = 128
)

// usual are beginnings of long passwords that are tried first (from memory, no source).
var usual = []string{"password", "passwort", "123456", "qwerty", "asdfgh", "abcdef", "iloveyou", "letmein", "welcome", "administrator", "changeme", "wisemarrow"}

// CheckPassword says what keeps a text from being a password of a person.
func CheckPassword(name, password string) error {
	low := strings.ToLower(password)
	switch n := utf8.RuneCountInString(password); {
	case n < shortest:
		return fmt.Errorf("a password has at least %d characters; a few words in a row do well", shortest)
	case n > longest:
		return fmt.Errorf("a password has at most %d characters", longest)
	case strings.Contains(low, strings.ToLower(name)):
		return fmt.Errorf("a password must not contain the name")
	case strings.Count(low, low[:1]) == len(low):
		return fmt.Errorf("this is one character over and over: take a few words in a row")
	}
	for _, u := range usual {
		if strings.HasPrefix(low, u) {
			return fmt.Errorf("passwords that begin with %q are tried first: take another", u)
		}
	}
	return nil
}
