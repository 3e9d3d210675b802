package people

import (
	"crypto/rand"
	"crypto/subtle"
	"encoding/base64"
	"fmt"
	"slices"
	"strings"
	"sync"
	"unicode"
	"unicode/utf8"

	"github.com/trustelem/zxcvbn"
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

// wordsOf are the words of a text, in lower case.
func wordsOf(text string) []string {
	return strings.FieldsFunc(strings.ToLower(text), func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })
}

// leastScore is how hard a password must be to guess, as zxcvbn rates it: 3 of 0 to 4, more than
// 10⁸ guesses (Wheeler, zxcvbn: Low-Budget Password Strength Estimation, USENIX Security 2016). It
// knows common passwords, names, words, dates, rows of keys, and what is repeated.
const leastScore = 3

// CheckPassword says what keeps a text from being a password of a person. It must not have the
// person's name as a word of its own; within another word, as a short name happens to be, it does no
// harm, but counts, as ours does, as what is tried first.
func CheckPassword(name, password string) error {
	switch n := utf8.RuneCountInString(password); {
	case n < shortest:
		return fmt.Errorf("a password has at least %d characters; a few words in a row do well", shortest)
	case n > longest:
		return fmt.Errorf("a password has at most %d characters", longest)
	}
	own := wordsOf(name)
	if all, n := wordsOf(password), len(own); n > 0 {
		for i := range max(0, len(all)-n+1) {
			if slices.Equal(all[i:i+n], own) {
				return fmt.Errorf("a password must not contain the name")
			}
		}
	}
	known := append(own, strings.ToLower(name), "wise", "marrow", "wisemarrow")
	if zxcvbn.PasswordStrength(password, known).Score < leastScore {
		return fmt.Errorf(
			"this password is too easy to guess: it is common, made of names, dates, or rows of keys, or repeats itself. Take a few words in a row that have nothing to do with each other",
		)
	}
	return nil
}
