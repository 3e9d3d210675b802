package studio

import (
	"bytes"
	"context"
	"slices"
	"strings"
	"time"

	"wisemarrow/core/finding"
)

// Version is a revision that was kept under a name. Nothing of it changes afterward, apart from that it may be withdrawn.
type Version struct {
	ID        int64     `json:"id"`
	Character string    `json:"-"`
	Revision  int64     `json:"revision"`
	Name      string    `json:"name"`
	Note      string    `json:"note,omitempty"`
	Author    string    `json:"author"`
	Time      time.Time `json:"time"`
	Profile   string    `json:"profile,omitempty"` // that the character was held against
	// Score and Over are those of the motion check, where it was run on the revision.
	Score *float64 `json:"score,omitempty"`
	Over  int      `json:"over,omitempty"`
	// Findings are those that there were, by stage.
	Findings []FoundThen `json:"findings"`
	Pictured bool        `json:"pictured"` // it has a picture
	// Withdrawn is why it should not be used; "" while it may be.
	Withdrawn   string     `json:"withdrawn,omitempty"`
	WithdrawnBy string     `json:"withdrawnBy,omitempty"`
	WithdrawnAt *time.Time `json:"withdrawnAt,omitempty"`
}

// FoundThen is a finding as a version remembers it.
type FoundThen struct {
	Stage    string           `json:"stage"`
	Code     string           `json:"code"`
	Severity finding.Severity `json:"severity"`
	Count    int              `json:"count"`
	Title    string           `json:"title"`
}

// Delivery is a file that was handed over, once or more often.
type Delivery struct {
	Character string    `json:"character"`
	Hash      string    `json:"hash"` // SHA-256 of its content
	Revision  int64     `json:"revision"`
	What      string    `json:"what"`  // the format
	Asked     string    `json:"asked"` // how, as the address has it: the same address gives the same file
	Profile   string    `json:"profile,omitempty"`
	Size      int64     `json:"size"`
	Author    string    `json:"author"` // who has taken it last
	Times     int       `json:"times"`
	First     time.Time `json:"first"`
	Last      time.Time `json:"last"`
}

// Versions are what a store keeps of versions and deliveries.
type Versions interface {
	// Versions returns those of a character, the oldest first, without pictures.
	Versions(ctx context.Context, character string) ([]Version, error)
	// KeepVersion stores one; ErrTaken where the character has another of its name, whatever its case.
	KeepVersion(ctx context.Context, v Version, picture []byte) (Version, error)
	// Withdraw notes why a version should not be used; ErrNotFound where there is none that may be.
	Withdraw(ctx context.Context, character string, id int64, why, author string) error
	// Picture returns that of a version as PNG; ErrNotFound where there is none.
	Picture(ctx context.Context, character string, id int64) ([]byte, error)
	// Delivered notes a file that was handed over; the same one again is counted.
	Delivered(ctx context.Context, d Delivery) error
	// Deliveries returns those of a character, the latest first, at most limit.
	Deliveries(ctx context.Context, character string, limit int) ([]Delivery, error)
	// DeliveriesOf returns who was handed a file of that content, the latest first, at most limit.
	DeliveriesOf(ctx context.Context, hash string, limit int) ([]Delivery, error)
}

const (
	// mostVersions is how many versions a character may have, longestNote how long a note may be.
	mostVersions, longestNote = 1000, 2000
	// largestPicture is how many bytes a picture may have.
	largestPicture = 1 << 20
)

// KeepVersion keeps the head of a character under a name, for good. base is the revision that the person sees.
func (x *Studio) KeepVersion(
	ctx context.Context,
	character string,
	base int64,
	name, note, author string,
	picture []byte,
) (Version, error) {
	name = strings.TrimSpace(name)
	if err := CheckName("a version", name); err != nil {
		return Version{}, err
	}
	if len(note) > longestNote {
		return Version{}, Wrong("a note has at most %d letters, this has %d", longestNote, len(note))
	}
	if len(picture) > largestPicture || picture != nil && !bytes.HasPrefix(picture, []byte("\x89PNG\r\n\x1a\n")) {
		return Version{}, Wrong("the picture of a version is a PNG of at most %d kB", largestPicture>>10)
	}
	c, rev, s, err := x.Head(ctx, character)
	if err != nil {
		return Version{}, err
	}
	if rev.ID != base {
		return Version{}, StaleError{Head: rev.ID}
	}
	list, err := x.store.Versions(ctx, character)
	if err != nil {
		return Version{}, err
	}
	if len(list) >= mostVersions {
		return Version{}, Wrong("%s has %d versions, and may have no more", c.Name, len(list))
	}
	review, err := x.Review(ctx, rev)
	if err != nil {
		return Version{}, err
	}
	v := Version{
		Character: character, Revision: rev.ID, Name: name, Note: strings.TrimSpace(note), Author: author, Time: time.Now(),
		Findings: []FoundThen{},
	}
	if p := s.Settings.Profile; p != nil {
		v.Profile = p.Name
	}
	if s.Sheet != nil && !s.Sheet.Stale {
		score := s.Sheet.Score
		v.Score, v.Over = &score, s.Sheet.Over
	}
	for _, stage := range review.Stages {
		for _, f := range stage.Findings {
			v.Findings = append(v.Findings, FoundThen{stage.Name, f.Code, f.Severity, f.Count, f.Title})
		}
	}
	if v.Findings = slices.Clip(v.Findings); len(v.Findings) > mostFoundThen {
		v.Findings = v.Findings[:mostFoundThen]
	}
	v, err = x.store.KeepVersion(ctx, v, picture)
	if err == nil {
		x.Wake(character)
	}
	return v, err
}

// mostFoundThen is how many findings a version remembers.
const mostFoundThen = 500

// Versions returns those of a character, the oldest first.
func (x *Studio) Versions(ctx context.Context, character string) ([]Version, error) {
	return x.store.Versions(ctx, character)
}

// Picture returns that of a version as PNG.
func (x *Studio) Picture(ctx context.Context, character string, id int64) ([]byte, error) {
	return x.store.Picture(ctx, character, id)
}

// Delivered notes a file that was handed over.
func (x *Studio) Delivered(ctx context.Context, d Delivery) error { return x.store.Delivered(ctx, d) }

// Deliveries returns the files that were handed over of a character, the latest first.
func (x *Studio) Deliveries(ctx context.Context, character string, limit int) ([]Delivery, error) {
	return x.store.Deliveries(ctx, character, limit)
}

// DeliveriesOf returns who was handed a file of that content, the latest first.
func (x *Studio) DeliveriesOf(ctx context.Context, hash string, limit int) ([]Delivery, error) {
	return x.store.DeliveriesOf(ctx, hash, limit)
}

// Withdraw says of a version why it should not be used any more. It stays, and so does its revision.
func (x *Studio) Withdraw(ctx context.Context, character string, id int64, why, author string) error {
	if why = strings.TrimSpace(why); why == "" || len(why) > longestNote {
		return Wrong("say in at most %d letters why the version should not be used", longestNote)
	}
	err := x.store.Withdraw(ctx, character, id, why, author)
	if err == nil {
		x.Wake(character)
	}
	return err
}

// VersionOf returns the latest version of a revision that was not withdrawn; nil for none.
func (x *Studio) VersionOf(ctx context.Context, character string, revision int64) (*Version, error) {
	list, err := x.store.Versions(ctx, character)
	if err != nil {
		return nil, err
	}
	for _, v := range slices.Backward(list) {
		if v.Revision == revision && v.Withdrawn == "" {
			return &v, nil
		}
	}
	return nil, nil
}

// ErrTaken means that a character has a version of that name.
var ErrTaken = Wrong("the character has a version of that name already: choose another")

// Since are what a version's findings have that those of the one before it had not, and the other way round, by their titles.
func (v *Version) Since(before *Version) (came, went []string) {
	had := map[string]bool{}
	for _, f := range before.Findings {
		had[f.Stage+"/"+f.Code] = true
	}
	for _, f := range v.Findings {
		if !had[f.Stage+"/"+f.Code] {
			came = append(came, f.Title)
		}
		had[f.Stage+"/"+f.Code] = false
	}
	for _, f := range before.Findings {
		if had[f.Stage+"/"+f.Code] {
			went = append(went, f.Title)
			had[f.Stage+"/"+f.Code] = false
		}
	}
	return came, went
}
