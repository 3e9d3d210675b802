// Package people says who may come in and what they may do: roles, passwords, and how
// often a name may be tried. It knows no page and no database.
package people

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode/utf8"
)

// Role is what a person may do. Each may all that those before it may.
type Role string

// The roles.
const (
	Look Role = "look" // see everything
	Work Role = "work" // change characters
	Lead Role = "lead" // productions, people, removal
)

// Roles are the roles, least first.
var Roles = []Role{Look, Work, Lead}

// May reports whether a role may what another may.
func (r Role) May(need Role) bool {
	at := slices.Index(Roles, r)
	return at >= 0 && at >= slices.Index(Roles, need)
}

// Person is somebody who may come in.
type Person struct {
	Name     string
	Role     Role
	Password string // as Hash wrote it; "" for one whom only a proxy signs in
	Added    time.Time
	// Since is when the person was last signed out everywhere: sessions that began
	// before do not count.
	Since time.Time
}

// Event is a line of the audit.
type Event struct {
	Time time.Time
	Who  string // as whom
	From string // address
	What string
}

// Store keeps people.
type Store interface {
	People(ctx context.Context) ([]Person, error)
	// Person returns the one of that name, whatever its case; ErrNobody if there is none.
	Person(ctx context.Context, name string) (Person, error)
	// AddPerson fails with ErrTaken when there is one of that name.
	AddPerson(ctx context.Context, p Person) error
	// ChangePerson changes role, password and Since. It fails with ErrLastLead when no
	// lead would be left.
	ChangePerson(ctx context.Context, p Person) error
	RemovePerson(ctx context.Context, name string) error
	// Try counts an attempt under a key and returns 0, or for how long it must still
	// wait, and counts nothing then. Excuse takes one attempt back, Forget all.
	Try(ctx context.Context, key string, free int) (time.Duration, error)
	Excuse(ctx context.Context, key string) error
	Forget(ctx context.Context, key string) error
	Note(ctx context.Context, e Event) error
	Events(ctx context.Context, limit int) ([]Event, error)
}

// What can be wrong.
var (
	ErrNobody   = errors.New("no person has that name")
	ErrTaken    = errors.New("there is somebody of that name already")
	ErrLastLead = errors.New("this is the last lead: no one could add people. Make someone else a lead first")
	// ErrWrong does not tell which of the two is wrong.
	ErrWrong = errors.New("wrong name or password")
)

// WaitError means that a name or address was tried too often.
type WaitError struct{ For time.Duration }

func (e WaitError) Error() string {
	return fmt.Sprintf("too many attempts: wait %s, then try again", e.For.Round(time.Second))
}

// CheckName says what keeps a text from being a person's name.
func CheckName(name string) error {
	switch {
	case strings.TrimSpace(name) != name || name == "":
		return errors.New("a person needs a name, without spaces around it")
	case utf8.RuneCountInString(name) > 60 || !utf8.ValidString(name):
		return errors.New("the name of a person is at most 60 letters long")
	case strings.ContainsFunc(name, func(r rune) bool { return r < ' ' || strings.ContainsRune(`";,\<>`, r) }):
		return errors.New("the name of a person has a character that it may not have")
	}
	return nil
}

// CheckRole says whether there is a role of that name.
func CheckRole(r Role) error {
	if !slices.Contains(Roles, r) {
		return fmt.Errorf("there is no role %q: look, work or lead", r)
	}
	return nil
}

// How many attempts are free: of a name, and from an address, behind which a whole
// studio may sit.
const (
	freeOfName = 5
	freeFrom   = 30
)

// SignIn returns the person of that name if the password is theirs.
func SignIn(ctx context.Context, s Store, name, password, from string) (Person, error) {
	ofName := "name " + strings.ToLower(name)
	for _, k := range []struct {
		key  string
		free int
	}{{"from " + from, freeFrom}, {ofName, freeOfName}} {
		wait, err := s.Try(ctx, k.key, k.free)
		if err != nil {
			return Person{}, err
		}
		if wait > 0 {
			return Person{}, WaitError{wait}
		}
	}
	p, err := s.Person(ctx, name)
	if err != nil && !errors.Is(err, ErrNobody) {
		return Person{}, err
	}
	// A name that is not there takes as long as one that is.
	if !Matches(p.Password, password) || err != nil {
		return Person{}, ErrWrong
	}
	// Of the address only this attempt is taken back: who has one password must not try
	// those of others without end.
	return p, errors.Join(s.Forget(ctx, ofName), s.Excuse(ctx, "from "+from))
}

// forgottenAfter is how long a failed attempt counts.
const forgottenAfter = time.Hour

// Pause is how long a key must wait after its last attempt: nothing while attempts are
// free, then a second, twice as long each time, a quarter of an hour at most.
func Pause(failed, free int, since time.Duration) time.Duration {
	if failed < free || since > forgottenAfter {
		return 0
	}
	pause := min(time.Second<<min(failed-free, 12), 15*time.Minute)
	return max(0, pause-since)
}
