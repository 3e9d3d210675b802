// Package studiotest holds what the tests of the stages share: a store in memory,
// operations by name, and a character that is meshed or bound.
package studiotest

import (
	"context"
	"encoding/json"
	"sync"
	"testing"

	"wisemarrow/core/finding"
	"wisemarrow/demo"
	"wisemarrow/formats/reading"
	_ "wisemarrow/stages" // all operations
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// Do applies an operation that must be taken.
func Do(t *testing.T, s studio.State, op, params string) studio.State {
	t.Helper()
	out, _, err := Try(s, op, params)
	require.NoError(t, err)
	return out
}

// Try applies an operation.
func Try(s studio.State, op, params string) (studio.State, studio.Outcome, error) {
	entry, parsed, err := studio.ParseOperation(op, json.RawMessage(params))
	if err != nil {
		return s, studio.Outcome{}, err
	}
	return studio.Apply(context.Background(), entry, parsed, s, nil)
}

// Odile is Odile, coarse, without a skeleton. States are values, so tests share her.
var Odile = sync.OnceValue(func() studio.State {
	m, _ := demo.Odile(0.02)
	return studio.State{Mesh: m, Settings: studio.DefaultSettings()}
})

var bound = sync.OnceValues(func() (studio.State, error) {
	s := Odile()
	for _, step := range [][2]string{{"fit_starter", `{"starter":"biped"}`}, {"set_axes", ""}, {"bind_heat", `{"influences":3}`}} {
		var err error
		if s, _, err = Try(s, step[0], step[1]); err != nil {
			return s, err
		}
	}
	return s, nil
})

// Bound is Odile with skeleton, axes and weights.
func Bound(t *testing.T) studio.State {
	t.Helper()
	s, err := bound()
	require.NoError(t, err)
	return s
}

// Begun is a studio on a store in memory with one character of that state.
func Begun(t *testing.T, s studio.State) (*Memory, *studio.Studio, studio.Character) {
	t.Helper()
	m := NewMemory()
	x := studio.New(m, reading.Default)
	c, err := x.Add(context.Background(), studio.Character{Production: "P", Name: "Odile"}, "tester", s, "came in")
	require.NoError(t, err)
	return m, x, c
}

// Head returns the number of the revision that the character is at.
func (m *Memory) Head() int64 { return m.All["one"].Head }

// Findings are those of a stage at a revision.
func Findings(t *testing.T, x *studio.Studio, r studio.Revision, stage string) []finding.Finding {
	t.Helper()
	v, err := x.ReviewStage(context.Background(), r, stage)
	require.NoError(t, err)
	return v.Findings
}

// At is where a joint stands.
func At(t *testing.T, s studio.State, name string) r3.Vec {
	t.Helper()
	i, err := s.Skeleton.Find(name)
	require.NoError(t, err)
	return s.Skeleton.Joints[i].Pos
}

// Encoded is a value as JSON.
func Encoded(t *testing.T, v any) string {
	t.Helper()
	data, err := json.Marshal(v)
	require.NoError(t, err)
	return string(data)
}
