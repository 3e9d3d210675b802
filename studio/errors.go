package studio

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
)

// Errors that a store returns.
var (
	ErrNotFound = errors.New("not found")
	// ErrFull means that the database's disk has no room; nothing was changed.
	ErrFull = errors.New(
		"the disk of the database is full; nothing was changed, and nothing that was stored is lost. Make room on it, or ask who runs the server to, then do this again",
	)
	// ErrDown means that the database cannot be reached; nothing was changed.
	ErrDown = errors.New("the database cannot be reached; nothing was changed, try again in a moment")
	// ErrUnknown means that the database went away while it stored a change.
	ErrUnknown = errors.New("the database went away while it stored this; whether it did is not known")
	// ErrRepeated means that a change with this key was done before (WithKey).
	ErrRepeated = errors.New("already done")
)

// StaleError means that someone else changed the character first.
type StaleError struct{ Head int64 }

func (e StaleError) Error() string {
	return fmt.Sprintf("The character changed since you opened it (latest revision %d): reload and try again.", e.Head)
}

// InputError is a mistake in what was asked: an unknown operation, a parameter
// out of range, something missing that an earlier stage makes. Cause, if there is
// one, is kept for those who tell kinds of mistakes apart.
type InputError struct {
	What  string
	Cause error
}

func (e InputError) Error() string { return e.What }
func (e InputError) Unwrap() error { return e.Cause }

// ErrNothing is the cause of an InputError where all is as was asked already: a page says so, and a command goes on.
var ErrNothing = errors.New("nothing to change")

// Nothing returns an InputError whose cause is ErrNothing.
func Nothing(format string, args ...any) error {
	return InputError{fmt.Sprintf(format, args...), ErrNothing}
}

// Wrong returns an InputError. What %v is given an error wraps it.
func Wrong(format string, args ...any) error {
	var cause error
	for _, a := range args {
		if err, ok := a.(error); ok {
			cause = err
		}
	}
	return InputError{fmt.Sprintf(format, args...), cause}
}

// IsInput reports whether an error is the caller's, not ours.
func IsInput(err error) bool {
	var e InputError
	return errors.As(err, &e)
}

// Plain says what is wrong with JSON without naming types of the program.
func Plain(err error) string {
	var kind *json.UnmarshalTypeError
	if errors.As(err, &kind) {
		return fmt.Sprintf("%q is not a valid %s", cmp.Or(kind.Field, "the whole"), kind.Value)
	}
	return strings.TrimPrefix(err.Error(), "json: ")
}

// BrokenError is an operation that panicked: a defect of the program. Nothing was
// changed.
type BrokenError struct {
	Label string
	Panic any
	Stack string
}

func (b *BrokenError) Error() string {
	return fmt.Sprintf("%s failed because of a bug; nothing was changed (%v)", strings.ToLower(b.Label), b.Panic)
}
