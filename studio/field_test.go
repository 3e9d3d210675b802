package studio_test

import (
	"context"
	"encoding/json"
	"testing"

	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
)

// fielded has a parameter of each kind that is described.
type fielded struct {
	Passes  int          `json:"passes" as:"Passes" in:"1..100" help:"how often"`
	Width   float64      `json:"width" as:"Width" in:"0<..1e6" unit:"m"`
	Below   float64      `json:"below,omitempty" as:"Limit" in:"0<..<0.5"`
	Turn    [3]float64   `json:"turn" as:"Turn" in:"-360..360" unit:"°"`
	Side    string       `json:"side" as:"Side" one:"left,right=the right one"`
	Value   *float64     `json:"value,omitempty" as:"Weight" in:"0..1"`
	Ways    []string     `json:"ways,omitempty" as:"Ways" one:"heat,near"`
	Joints  []string     `json:"joints"`
	To      studio.Place `json:"to"`
	File    *studio.File `json:"file,omitempty"`
	Pairs   map[string]string
	hidden  int
	Another `json:"-"`
}

// Another is left out: it has no name in JSON.
type Another struct{ Count int }

// Apply implements studio.Operation.
func (fielded) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	return s, studio.Outcome{}, nil
}

func init() {
	studio.Register(
		studio.Entry{Name: "test_fielded", Label: "Fielded", Stage: "intake", Words: "only a test", New: func() studio.Operation {
			return &fielded{Passes: 2, Width: 0.1, Side: "left", hidden: 1}
		}},
	)
}

func TestParametersAreDescribedByTheirTags(t *testing.T) {
	e, _, err := studio.ParseOperation("test_fielded", nil)
	require.NoError(t, err)
	kinds := map[string]studio.Kind{}
	for _, f := range e.Fields() {
		kinds[f.Name] = f.Kind
	}
	require.Equal(t, map[string]studio.Kind{"passes": "whole", "width": "number", "below": "number", "turn": "position", "side": "text",
		"value": "number", "ways": "texts", "joints": "joints", "to": "position", "file": "file"}, kinds)
	passes, ok := e.Field("passes")
	require.True(t, ok)
	require.Equal(t, "Passes", passes.Label)
	require.JSONEq(t, "2", string(passes.Default))
	told, err := json.Marshal(passes)
	require.NoError(t, err)
	require.JSONEq(
		t,
		`{"name":"passes","label":"Passes","kind":"whole","help":"how often","range":{"minimum":1,"maximum":100},"default":2}`,
		string(told),
	)
	side, _ := e.Field("side")
	require.Equal(t, []studio.Choice{{Value: "left", Label: "left"}, {Value: "right", Label: "the right one"}}, side.Choices)
	_, ok = e.Field("hidden")
	require.False(t, ok)
}

// Bounds are checked wherever an operation comes from, and the refusal says which parameter, what it may be and
// what it was.
func TestParametersOutOfBoundsAreRefused(t *testing.T) {
	for params, want := range map[string]string{
		`{"passes":0}`:            "Passes must be from 1 to 100, not 0",
		`{"passes":101}`:          "Passes must be from 1 to 100, not 101",
		`{"width":0}`:             "Width must be above 0 m, not 0",
		`{"width":-0.5}`:          "Width must be above 0 m, not -0.5",
		`{"width":2e6}`:           "Width must be at most 1\u202f000\u202f000 m, not 2\u202f000\u202f000",
		`{"below":0.5}`:           "Limit must be above 0 and below 0.5, not 0.5",
		`{"turn":[0,0,400]}`:      "Turn must be from -360 to 360°, not 400",
		`{"side":"middle"}`:       `Side must be left or right, not "middle"`,
		`{"value":1.5}`:           "Weight must be from 0 to 1, not 1.5",
		`{"ways":["heat","far"]}`: `Ways must be heat or near, not "far"`,
	} {
		_, _, err := studio.ParseOperation("test_fielded", json.RawMessage(params))
		require.ErrorContains(t, err, want, params)
		require.True(t, studio.IsInput(err))
	}
	for _, params := range []string{`{}`, `{"passes":1}`, `{"passes":100,"value":0}`, `{"below":0}`, `{"below":0.49,"ways":[]}`, `{"turn":[-360,0,360],"side":"right"}`} {
		_, _, err := studio.ParseOperation("test_fielded", json.RawMessage(params))
		require.NoError(t, err, params)
	}
}

// The defaults of an operation are within its own bounds, and every parameter has a label; one that the page
// fills from a selection is of the kind that its button selects.
func TestDefaultsAreWithinTheirBounds(t *testing.T) {
	fields := 0
	for _, e := range studio.Operations() {
		require.NoError(t, e.Check(e.New()), e.Name)
		kinds := map[string]studio.Kind{}
		for _, f := range e.Fields() {
			require.NotEmpty(t, f.Label, "%s.%s", e.Name, f.Name)
			kinds[f.Name] = f.Kind
			fields++
		}
		switch e.From {
		case studio.FromJoints:
			require.Equal(t, studio.KindJoints, kinds["joints"], e.Name)
		case studio.FromJoint:
			require.Equal(t, studio.KindJoint, kinds["joint"], e.Name)
		case studio.FromFaces:
			require.Equal(t, studio.KindFaces, kinds["faces"], e.Name)
		}
	}
	require.Greater(t, fields, 250)
}
