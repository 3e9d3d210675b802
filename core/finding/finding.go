// Package finding holds the type of a measured problem: what is wrong, how
// much, where and why it matters. The packages of core name no operation: a stage
// adds the remedies to what they found, by its code (studio.Offer).
package finding

import "encoding/json"

// Severity says what a finding does to the work.
type Severity string

const (
	Blocks Severity = "blocks" // the stage cannot be left with it
	Harms  Severity = "harms"  // the result will be worse
	Note   Severity = "note"   // worth knowing
)

// Rank orders severities, gravest first.
func (s Severity) Rank() int {
	switch s {
	case Blocks:
		return 0
	case Harms:
		return 1
	}
	return 2
}

// Evidence is one measured number and the limit that it is held against.
type Evidence struct {
	What  string  `json:"what"`
	Value float64 `json:"value"`
	Limit float64 `json:"limit"`
	Unit  string  `json:"unit,omitempty"` // "m" is shown in the production's unit, "%" is a share of one
}

// Where names what a finding concerns, so that a view can show it.
type Where struct {
	Vertices []int32    `json:"vertices,omitempty"`
	Edges    [][2]int32 `json:"edges,omitempty"`
	Faces    []int32    `json:"faces,omitempty"`
	Joints   []string   `json:"joints,omitempty"`
	// Spots are the single places, where a finding has several.
	Spots []Spot `json:"spots,omitempty"`
}

// Spot is one place of several, with a few words on it.
type Spot struct {
	Label    string     `json:"label"`
	Vertices []int32    `json:"vertices,omitempty"`
	Edges    [][2]int32 `json:"edges,omitempty"`
	Faces    []int32    `json:"faces,omitempty"`
}

// Remedy is an operation with its parameters filled in; or, without one, what to open: the place
// in the panel where a person does it.
type Remedy struct {
	Label  string          `json:"label"`
	Op     string          `json:"op,omitempty"`
	Params json.RawMessage `json:"params,omitempty"`
	Opens  string          `json:"opens,omitempty"` // the id of a section, or "stage/" and the name of a stage
}

// Finding is one measured problem.
type Finding struct {
	Code     string     `json:"code"`
	Severity Severity   `json:"severity"`
	Count    int        `json:"count"`
	Title    string     `json:"title"`
	Why      string     `json:"why"`
	Evidence []Evidence `json:"evidence"`
	Where    Where      `json:"where"`
	// Data is what a stage needs for its remedies beyond evidence and where, of the type that the
	// measuring package documents for the code; nil for most.
	Data     any      `json:"-"`
	Remedies []Remedy `json:"remedies,omitempty"` // added by the stage
}

// Worst returns the gravest severity in the list, "" for none.
func Worst(list []Finding) Severity {
	worst := Severity("")
	for _, f := range list {
		if f.Severity == Blocks {
			return Blocks
		}
		if f.Severity == Harms || worst == "" {
			worst = f.Severity
		}
	}
	return worst
}
