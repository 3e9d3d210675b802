package weightfile_test

import (
	"bytes"
	"math"
	"strings"
	"testing"

	"wisemarrow/core/weights"
	"wisemarrow/formats/reading"
	"wisemarrow/formats/weightfile"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
	"pgregory.net/rapid"
)

// What is written comes back exactly, by number and with places, as CSV and as JSON.
func TestTablesComeBackExactly(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		joints := []string{"hips", "forearm, left", `"quoted" Ünïcode`}
		w := weights.New(joints, rapid.IntRange(1, 20).Draw(t, "n"))
		places := make([]r3.Vec, len(w.Of))
		for v := range w.Of {
			var list []weights.Influence
			for j := range joints {
				if x := rapid.Float32Range(0, 1).Draw(t, "x"); x > 0.2 {
					list = append(list, weights.Influence{Joint: int32(j), Value: float64(x)})
				}
			}
			if list == nil {
				list = []weights.Influence{{Joint: 0, Value: 1}}
			}
			weights.Sort(list)
			w.Of[v] = list
			places[v] = r3.Vec{X: float64(float32(v) * 0.1), Y: float64(rapid.Float32Range(-2, 2).Draw(t, "y"))}
		}
		for _, encode := range []func(*bytes.Buffer, []r3.Vec) error{
			func(b *bytes.Buffer, p []r3.Vec) error { return weightfile.EncodeCSV(b, w, p) },
			func(b *bytes.Buffer, p []r3.Vec) error { return weightfile.EncodeJSON(b, w, p) },
		} {
			for _, p := range [][]r3.Vec{nil, places} {
				var b bytes.Buffer
				if err := encode(&b, p); err != nil {
					t.Fatal(err)
				}
				got, err := weightfile.Decode(&b, reading.Limits{})
				if err != nil {
					t.Fatal(err)
				}
				if len(got.Of) != len(w.Of) || (p != nil) != (got.Place != nil) {
					t.Fatalf("%d rows of %d", len(got.Of), len(w.Of))
				}
				for i, v := range got.Vertex {
					for _, x := range got.Of[i] {
						if x.Value = float64(float32(x.Value)); w.Value(int(v), int32(index(joints, got.Joints[x.Joint]))) != x.Value {
							t.Fatalf("vertex %d: %v of %v", v, x, w.Of[v])
						}
					}
					if p != nil && r3.Norm(r3.Sub(got.Place[i], places[v])) > 1e-7 {
						t.Fatalf("%v is not %v", got.Place[i], places[v])
					}
				}
			}
		}
	})
}

func index(list []string, x string) int {
	for i, y := range list {
		if x == y {
			return i
		}
	}
	return -1
}

func TestBrokenTablesAreRefusedWithTheLine(t *testing.T) {
	for text, want := range map[string]string{
		"":                                  "empty",
		"a,b,c\n1,2,3":                      "line 1",
		"vertex,joint,weight\n":             "no vertices",
		"vertex,joint,weight\nx,hips,1":     "line 2",
		"vertex,joint,weight\n0,hips,NaN":   "line 2",
		"vertex,joint,weight\n0,hips,-1":    "line 2",
		"vertex,joint,weight\n0,,1":         "line 2",
		"vertex,joint,weight\n0,hips":       "line 2",
		"vertex,joint,weight\n0,h,1\n0,h,1": "twice",
		"x,y,z,joint,weight\n1,2,inf,h,1":   "line 2",
		`{"schema":"other"}`:                "schema",
		`{"schema":"skin-weights/1"}`:       "no vertices",
		`{"schema":"skin-weights/1","joints":["a"],"vertices":[{"vertex":0,"weights":[[1,1]]}]}`:                                        "not a joint number",
		`{"schema":"skin-weights/1","joints":["a"],"vertices":[{"weights":[[0,1]]}]}`:                                                   "neither",
		`{"schema":"skin-weights/1","joints":["a"],"vertices":[{"vertex":0,"weights":[[0,1]]},{"position":[0,0,0],"weights":[[0,1]]}]}`: "all vertices",
		`{"schema":"skin-weights/1","joints":["a"],"vertices":[{"vertex":0,"weights":[[0.5,1]]}]}`:                                      "not a joint number",
		`{"schema":"skin-weights/1","joints":["a"],"vertices":[{"vertex":-3,"weights":[[0,1]]}]}`:                                       "below 0",
		`{"schema":"skin-weights/1","joints":["a"],"vertices":[{"vertex":3,"weights":[]}]}`:                                             "leave it out",
		`{"schema":`: "cannot be read",
	} {
		_, err := weightfile.Decode(strings.NewReader(text), reading.Limits{})
		require.ErrorContains(t, err, want, text)
	}
	_, err := weightfile.Decode(strings.NewReader("vertex,joint,weight\n0,a,1\n1,b,1"), reading.Limits{Vertices: 1})
	require.ErrorContains(t, err, "more than 1 vertices")
}

func FuzzDecode(f *testing.F) {
	f.Add([]byte("vertex,joint,weight\n0,hips,0.5\n0,spine,0.5\n"))
	f.Add([]byte("x,y,z,joint,weight\n0,1,2,hips,1\n"))
	f.Add([]byte(`{"schema":"skin-weights/1","joints":["a"],"vertices":[{"vertex":0,"weights":[[0,1]]}]}`))
	f.Fuzz(func(t *testing.T, data []byte) {
		got, err := weightfile.Decode(bytes.NewReader(data), reading.Limits{Bytes: 1 << 20, Vertices: 1000, Joints: 50, Numbers: 10000})
		if err != nil {
			return
		}
		for i, list := range got.Of {
			for _, x := range list {
				if !(x.Value > 0) || math.IsInf(x.Value, 0) || int(x.Joint) >= len(got.Joints) {
					t.Fatalf("row %d has %v", i, x)
				}
			}
		}
		if got.Vertex == nil && got.Place == nil {
			t.Fatal("rows without vertices")
		}
	})
}

// A spreadsheet runs cells that begin like a formula: such names are written quoted, and come back as they were.
func TestNamesThatASpreadsheetWouldRun(t *testing.T) {
	w := weights.New([]string{"=1+1", "@sum", "'quoted", "-minus", "plain"}, 5)
	for v := range w.Of {
		w.Of[v] = []weights.Influence{{Joint: int32(v), Value: 1}}
	}
	var buf bytes.Buffer
	require.NoError(t, weightfile.EncodeCSV(&buf, w, nil))
	for _, line := range strings.Split(buf.String(), "\n")[1:] {
		for _, cell := range strings.Split(line, ",") {
			require.False(t, cell != "" && strings.ContainsAny(cell[:1], "=+-@"), line)
		}
	}
	back, err := weightfile.Decode(&buf, reading.Default)
	require.NoError(t, err)
	require.Equal(t, w.Joints, back.Joints)
}
