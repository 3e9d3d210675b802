package handoff

import "time"

// Stamp is what a file says of where it comes from, where its format keeps such things: in asset.extras of glTF, in comments of
// COLLADA and USD.
type Stamp struct {
	Program   string    `json:"program"`
	Character string    `json:"character"` // its id
	Name      string    `json:"name"`
	Revision  int64     `json:"revision"`
	Made      time.Time `json:"made"` // when the revision was
	Version   string    `json:"version,omitempty"`
	Profile   string    `json:"profile,omitempty"`
	Score     *float64  `json:"score,omitempty"` // of the motion check, where it was run on this revision
}

// stampKey is the word under which a stamp stands.
const stampKey = "wiseMarrow"

// Marked is the stamp under its word.
func (s *Stamp) Marked() map[string]*Stamp { return map[string]*Stamp{stampKey: s} }
