package intake

import (
	"context"
	"path/filepath"
	"slices"
	"strings"

	"wisemarrow/core/finding"
	"wisemarrow/studio"
)

func init() {
	studio.Register(
		studio.Entry{
			Name:  "accept_finding",
			Label: "Accept as intended",
			Stage: "intake",
			Words: "dismiss ignore accept guess finding",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedMesh},
			New:   func() studio.Operation { return &AcceptFinding{} },
		},
	)
}

// guesses are the findings that go by what characters usually are: a person may know
// better.
var guesses = []string{
	"size_or_axis",
	"implausible_size",
	"off_ground",
	"off_centre",
	"not_facing_front",
	"heavy_mesh",
	"asymmetric",
	"half_mesh",
}

// statesUnits are the formats whose standard says that lengths are metres with Y up
// (glTF 2.0, section 3.4).
var statesUnits = []string{".glb", ".gltf", ".vrm"}

// Judge goes over what a check of the mesh of s found by what is known of its file and of the
// person's mind, and adds the remedies. A guess against what the file states harms and does not block; a guess
// that somebody has accepted is a note; every other guess can be accepted.
func Judge(list []finding.Finding, s *studio.State) []finding.Finding {
	out := studio.Remedied(slices.Clone(list), remedies(s))
	for i := range out {
		f := &out[i]
		if f.Code == "size_or_axis" && slices.Contains(statesUnits, strings.ToLower(filepath.Ext(s.Settings.Source))) {
			if f.Severity == finding.Blocks {
				f.Severity = finding.Harms
			}
			f.Why = "The file format means meters and Y up, but this mesh does not look like it: " + f.Why
		}
		if !slices.Contains(guesses, f.Code) {
			continue
		}
		if slices.Contains(s.Settings.Accepted, f.Code) {
			f.Severity, f.Title = finding.Note, f.Title+", as intended"
			f.Remedies = studio.Only("Reopen", &AcceptFinding{Code: f.Code, Again: true})
			continue
		}
		f.Remedies = append(f.Remedies, studio.Offer("Accept as intended", &AcceptFinding{Code: f.Code}))
	}
	slices.SortStableFunc(out, func(a, b finding.Finding) int { return a.Severity.Rank() - b.Severity.Rank() })
	return out
}

// AcceptFinding says that a finding that goes by a guess is meant so; it stays so, for
// later meshes of the character too. Again takes that back.
type AcceptFinding struct {
	Code  string `json:"code"`
	Again bool   `json:"again,omitempty"`
}

// Apply implements Operation.
func (o *AcceptFinding) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	if !slices.Contains(guesses, o.Code) {
		return s, studio.Outcome{}, studio.Wrong("%q cannot be accepted: it is measured, not guessed", o.Code)
	}
	have := slices.Contains(s.Settings.Accepted, o.Code)
	if have != o.Again {
		return s, studio.Outcome{}, studio.Wrong("already done: nothing changed")
	}
	said := strings.ReplaceAll(o.Code, "_", " ")
	if o.Again {
		s.Settings.Accepted = slices.DeleteFunc(slices.Clone(s.Settings.Accepted), func(c string) bool { return c == o.Code })
		return s, studio.Outcome{Sentence: "Reopened: " + said}, nil
	}
	s.Settings.Accepted = append(slices.Clone(s.Settings.Accepted), o.Code)
	return s, studio.Outcome{Sentence: "Accepted: " + said}, nil
}
