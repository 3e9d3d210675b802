package studio

import (
	"cmp"
	"context"
	"slices"

	"wisemarrow/core/finding"
	"wisemarrow/core/health"
	"wisemarrow/core/mesh"
)

// Stage is one step of the work on a character. A package of stages/ registers it;
// the spine, the cast's marks, the handoff and the command line learn of it here.
type Stage struct {
	Name     string
	Title    string
	Question string
	Order    int
	Touched  func(s *State) bool
	// Reads are the rows of the table of parts that its findings depend on; they
	// are computed anew only when one of these has changed.
	Reads []string
	// Find measures. It may ask what the stages before it have found.
	Find func(c *Checked) []finding.Finding
	// Steps are what is done here, for who is new to it.
	Steps []FirstStep
}

var stages []Stage

// RegisterStage adds a stage.
func RegisterStage(s Stage) {
	stages = append(stages, s)
	slices.SortFunc(stages, func(a, b Stage) int { return cmp.Compare(a.Order, b.Order) })
}

// Stages returns the stages in the order of the work.
func Stages() []Stage { return stages }

// IsStage reports whether there is a stage of that name.
func IsStage(name string) bool {
	return slices.ContainsFunc(stages, func(s Stage) bool { return s.Name == name })
}

// Reviewed is a stage of a character and what is to be said of it.
type Reviewed struct {
	Name     string            `json:"name"`
	Title    string            `json:"title"`
	Question string            `json:"question"`
	State    string            `json:"state"` // untouched, findings, clear
	Findings []finding.Finding `json:"findings"`
}

// Open returns how many findings block or harm.
func (r *Reviewed) Open() int {
	n := 0
	for _, f := range r.Findings {
		if f.Severity != finding.Note {
			n++
		}
	}
	return n
}

// Review is what is known of a state: the facts of its mesh and its stages.
type Review struct {
	Facts  mesh.Facts `json:"facts"`
	Guess  mesh.Guess `json:"guess"`
	Stages []Reviewed `json:"stages"`
}

// Stage returns the stage of that name, nil if there is none.
func (r *Review) Stage(name string) *Reviewed {
	for i := range r.Stages {
		if r.Stages[i].Name == name {
			return &r.Stages[i]
		}
	}
	return nil
}

// Measured is what the check of a mesh found. It depends on the mesh and the kind
// alone, so that moving a joint does not check the mesh again.
type Measured struct {
	Surface  *mesh.Surface
	Facts    mesh.Facts
	Findings []finding.Finding
}

func measure(ctx context.Context, s *State) (*Measured, error) {
	m := &Measured{Surface: s.Mesh.Surface()}
	var err error
	m.Facts, m.Findings, err = health.Check(ctx, m.Surface, s.Settings.Kind)
	return m, err
}

// Checked is a state that is being reviewed.
type Checked struct {
	State    *State
	measured func() *Measured
	found    func(stage string) []finding.Finding
}

// Mesh returns the check of the mesh, nil without one.
func (c *Checked) Mesh() *Measured {
	if c.State.Mesh == nil {
		return nil
	}
	return c.measured()
}

// Found returns the findings of a stage before this one.
func (c *Checked) Found(stage string) []finding.Finding { return c.found(stage) }

// CheckOnly reviews one stage of a state outside a studio, as the command line
// does; nil if there is no such stage.
func CheckOnly(s *State, stage string) []finding.Finding { return checkOnly(s, stage, nil) }

// checkOnly is CheckOnly with the check of the mesh where it is known.
func checkOnly(s *State, stage string, m *Measured) []finding.Finding {
	c := &Checked{State: s}
	c.measured = func() *Measured {
		if m == nil {
			m, _ = measure(context.Background(), s) // fails only when it is told to stop
		}
		return m
	}
	c.found = func(name string) []finding.Finding {
		for _, st := range stages {
			if st.Name == name {
				return st.Find(c)
			}
		}
		return nil
	}
	return c.found(stage)
}

// reviewed puts the findings of a stage into its words.
func (s Stage) reviewed(state *State, list []finding.Finding) Reviewed {
	r := Reviewed{Name: s.Name, Title: s.Title, Question: s.Question, Findings: list, State: "untouched"}
	if r.Findings == nil {
		r.Findings = []finding.Finding{}
	}
	if s.Touched(state) {
		r.State = "clear"
		if w := finding.Worst(list); w == finding.Blocks || w == finding.Harms {
			r.State = "findings"
		}
	}
	return r
}
