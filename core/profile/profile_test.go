package profile_test

import (
	"cmp"
	"encoding/json"
	"os"
	"reflect"
	"strings"
	"testing"

	"wisemarrow/core/finding"
	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/profile"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// A quad and a triangle in two parts, 10 cm above the floor; the second part is hidden, and a vertex has no face.
func body() *mesh.Mesh {
	m := &mesh.Mesh{
		Parts: []mesh.Part{{Name: "body", Frame: geom.IdentityMatrix}, {Name: "belt", Frame: geom.IdentityMatrix, Hidden: true}},
	}
	m.Points = []r3.Vec{
		{Y: 0.1}, {X: 1, Y: 0.1}, {X: 1, Y: 1.1}, {Y: 1.1}, {X: 2, Y: 0.1}, {X: 3, Y: 0.1}, {X: 3, Y: 1.1}, {X: 9, Y: 1.1},
	}
	m.AddFace(0, 0, 1, 2, 3)
	m.AddFace(1, 4, 5, 6)
	return m
}

func codes(list []finding.Finding) (out []string) {
	for _, f := range list {
		out = append(out, f.Code)
	}
	return out
}

// Every rule is broken by something and met by something, and says how many, of what, beyond which limit.
func TestEveryRuleIsHeld(t *testing.T) {
	s := skeleton.Biped(1.7)
	s.Joints[1].Rot = geom.AxisAngle(r3.Vec{X: 1}, 0.5)
	w := &weights.Weights{Joints: []string{s.Joints[0].Name, s.Joints[1].Name, s.Joints[2].Name}}
	for range 8 {
		w.Of = append(w.Of, []weights.Influence{{Joint: 0, Value: 0.5}, {Joint: 1, Value: 0.3}, {Joint: 2, Value: 0.2}})
	}
	m := body()
	m.Shapes = []mesh.Shape{{Name: "a", Vertex: []int32{0}, Offset: []r3.Vec{{X: 1}}}}
	g := profile.Given{
		Mesh: m, Skeleton: s, Weights: w, Marks: skeleton.DefaultMarks, Motions: []string{"walk"},
		Measured: true, Score: 0.5, Over: 3, Blocking: 2,
	}
	none := 0
	two := *s.Clone()
	two.Joints = append(two.Joints, skeleton.Joint{Name: "Root 2", Parent: -1, Rot: geom.Identity})
	for _, x := range []struct {
		code   string
		p      profile.Profile
		value  float64
		broken func(g *profile.Given) // where what is given meets it
		met    func(g *profile.Given) // where it does not
	}{
		{code: profile.Influences, p: profile.Profile{Influences: 2}, value: 3, met: func(g *profile.Given) {
			g.Weights = &weights.Weights{Joints: w.Joints, Of: [][]weights.Influence{{{Joint: 0, Value: 1}}}}
		}},
		{code: profile.Joints, p: profile.Profile{Joints: 5}, value: float64(len(s.Joints)), met: func(g *profile.Given) {
			g.Skeleton = &skeleton.Skeleton{Joints: s.Joints[:5]}
		}},
		{code: profile.PartJoints, p: profile.Profile{PartJoints: 2}, value: 3, met: func(g *profile.Given) { g.Weights = nil }},
		{code: profile.OneRoot, p: profile.Profile{OneRoot: true}, value: 2, broken: func(g *profile.Given) {
			g.Skeleton = &two
		}, met: func(g *profile.Given) {}},
		{code: profile.NoIdle, p: profile.Profile{NoIdle: true}, value: float64(len(s.Joints) - 3), met: func(g *profile.Given) {
			g.Skeleton = &skeleton.Skeleton{Joints: s.Joints[:3]}
		}},
		{code: profile.Zero, p: profile.Profile{Zero: true}, value: 0.5 * 180 / 3.141592653589793, met: func(g *profile.Given) {
			g.Skeleton = &skeleton.Skeleton{Joints: []skeleton.Joint{{Name: "a", Parent: -1, Rot: geom.Identity}}}
		}},
		{code: profile.Rest, p: profile.Profile{Rest: "a"}, met: func(g *profile.Given) {
			g.Skeleton = &skeleton.Skeleton{Joints: s.Joints[:1]}
		}},
		{code: profile.JointNames, p: profile.Profile{Names: &profile.Names{Prefix: "ch_"}}, value: float64(len(s.Joints)), met: func(
			g *profile.Given,
		) {
			g.Skeleton = &skeleton.Skeleton{Joints: []skeleton.Joint{{Name: "ch_hips", Parent: -1, Rot: geom.Identity}}}
		}},
		{code: profile.Vertices, p: profile.Profile{Vertices: 3}, value: 4, met: func(g *profile.Given) { g.Mesh = nil }},
		{code: profile.OnePart, p: profile.Profile{OnePart: true}, value: 2, met: func(g *profile.Given) { g.Mesh = nil }},
		{code: profile.Triangles, p: profile.Profile{Triangles: true}, value: 1, met: func(g *profile.Given) {
			g.Mesh = m.Triangulate([]bool{true, true})
		}},
		{code: profile.Floor, p: profile.Profile{Floor: true}, value: 0.1, met: func(g *profile.Given) {
			low := *m
			low.Points = make([]r3.Vec, len(m.Points))
			for i, p := range m.Points {
				low.Points[i] = r3.Sub(p, r3.Vec{Y: 0.1})
			}
			g.Mesh = &low
		}},
		{code: profile.Leftovers, p: profile.Profile{NoLeftovers: true}, value: 2, met: func(g *profile.Given) { g.Mesh = nil }},
		{code: profile.Targets, p: profile.Profile{Targets: &none}, value: 1, met: func(g *profile.Given) { g.Mesh = body() }},
		{code: profile.Motions, p: profile.Profile{Motions: &none}, value: 1, met: func(g *profile.Given) { g.Motions = nil }},
		{code: profile.Clear, p: profile.Profile{Clear: true}, value: 2, met: func(g *profile.Given) { g.Blocking = 0 }},
		{code: profile.Score, p: profile.Profile{Score: 0.3}, value: 0.5, met: func(g *profile.Given) { g.Score = 0.3 }},
		{code: profile.Score, p: profile.Profile{Over: &none}, value: 3, met: func(g *profile.Given) { g.Over = 0 }},
		{code: profile.Checked, p: profile.Profile{Score: 0.3}, broken: func(g *profile.Given) { g.Measured = false }, met: func(
			g *profile.Given,
		) {
			g.Score = 0.1
		}},
	} {
		t.Run(x.code, func(t *testing.T) {
			x.p.Name = "house"
			bad := g
			if x.broken != nil {
				x.broken(&bad)
			}
			list := x.p.Check(bad)
			require.Equal(t, []string{x.code}, codes(list))
			assert.Equal(t, finding.Blocks, list[0].Severity)
			assert.NotEmpty(t, list[0].Title)
			assert.NotEmpty(t, list[0].Why)
			if x.value != 0 {
				assert.InDelta(t, x.value, list[0].Evidence[0].Value, 1e-9)
			}
			if x.code != profile.Checked { // which asks for at least one
				assert.Greater(t, list[0].Evidence[0].Value, list[0].Evidence[0].Limit)
			}
			good := g
			x.met(&good)
			assert.Empty(t, x.p.Check(good))
		})
	}
	asks := profile.Profile{Name: "nothing"}
	assert.Empty(t, asks.Check(g), "a profile without rules")
	assert.Empty(t, asks.Check(profile.Given{}), "of nothing")
}

func chain(names ...string) *skeleton.Skeleton {
	s := &skeleton.Skeleton{}
	for i, n := range names {
		s.Joints = append(s.Joints, skeleton.Joint{Name: n, Parent: i - 1, Rot: geom.Identity})
	}
	return s
}

// Names are made to fit, keep their side, and never collide, whatever they were.
func TestNamesThatFit(t *testing.T) {
	for _, x := range []struct {
		about string
		n     profile.Names
		have  []string
		want  map[string]string
	}{
		{"as they are", profile.Names{Letters: "word"}, []string{"hips", "thigh_l"}, map[string]string{}},
		{"letters", profile.Names{Letters: "word"}, []string{"hips.main", "Épaule l", "1st", "手"},
			map[string]string{"hips.main": "hips_main", "Épaule l": "Epaule_l", "1st": "_1st", "手": "_"}},
		{"lower case", profile.Names{Letters: "lower"}, []string{"Hips", "Thigh_l"}, map[string]string{"Hips": "hips", "Thigh_l": "thigh_l"}},
		{"case", profile.Names{AnyCase: true}, []string{"hips", "Hips", "HIPS"}, map[string]string{"Hips": "Hips_2", "HIPS": "HIPS_3"}},
		{"who is right stays", profile.Names{Letters: "word"}, []string{"a.b", "a_b"}, map[string]string{"a.b": "a_b_2"}},
		{"prefix", profile.Names{Prefix: "ch_"}, []string{"ch_hips", "head"}, map[string]string{"head": "ch_head"}},
		{"sides", profile.Names{Left: "_L", Right: "_R"}, []string{"thigh_l", "thigh_r", "head"}, map[string]string{"thigh_l": "thigh_L", "thigh_r": "thigh_R"}},
		{"length", profile.Names{Longest: 8}, []string{"upper_arm_twist_l", "upper_arm_l", "jaw"}, map[string]string{"upper_arm_twist_l": "upper__l", "upper_arm_l": "uppe_2_l"}},
		{"a public naming", profile.Names{Standard: "vrm"}, []string{"hips", "thigh_l", "thigh_r", "cape_l"},
			map[string]string{"thigh_l": "leftUpperLeg", "thigh_r": "rightUpperLeg", "cape_l": "leftcape"}},
	} {
		s := chain(x.have...)
		got := x.n.Changes(s, skeleton.DefaultMarks)
		assert.Equal(t, x.want, got, x.about)
		seen := map[string]bool{}
		for i := range s.Joints {
			if n, ok := got[s.Joints[i].Name]; ok {
				s.Joints[i].Name = n
			}
			key := s.Joints[i].Name
			if x.n.AnyCase {
				key = strings.ToLower(key)
			}
			assert.False(t, seen[key], "%s: %s twice", x.about, key)
			seen[key] = true
			assert.LessOrEqual(t, len(key), cmp.Or(x.n.Longest, 63), x.about)
		}
		assert.Empty(t, x.n.Changes(s, x.n.Marks(skeleton.DefaultMarks)), "%s: once they fit, nothing is left to do", x.about)
	}
	var none *profile.Names
	assert.Empty(t, none.Changes(chain("a b"), skeleton.DefaultMarks))
}

// A profile that cannot be is refused, and the sentence names the rule.
func TestProfilesThatCannotBe(t *testing.T) {
	for text, rule := range map[string]string{
		`{}`: "name", `{"name":" "}`: "name", `{"name":"x","influences":-1}`: "influences", `{"name":"x","influences":99}`: "influences",
		`{"name":"x","weightBits":7}`: "weightBits", `{"name":"x","rest":"y"}`: "rest", `{"name":"x","influence":4}`: "influence",
		`{"name":"x","names":{"letters":"latin"}}`: "names.letters", `{"name":"x","names":{"longest":2}}`: "names.longest",
		`{"name":"x","names":{"longest":6,"prefix":"chars_"}}`: "names.longest", `{"name":"x","names":{"prefix":"a b"}}`: "names.prefix",
		`{"name":"x","names":{"left":"_L"}}`: "names.left", `{"name":"x","names":{"standard":"other"}}`: "names.standard",
		`{"name":"x","names":{"standard":"vrm","left":"_L","right":"_R"}}`: "names.left",
		`{"name":"x","file":{"unit":"yard"}}`:                              "file.unit", `{"name":"x","file":{"up":"x"}}`: "file.up",
		`{"name":"x","file":{"leaveOut":["skin"]}}`: "file.leaveOut", `{"name":"x","onePart":true,"file":{"separateParts":true}}`: "file.separateParts",
		`{"name":"x","score":1e99}`: "score", `{"name":"x","targets":-2}`: "targets", `[]`: "not valid", `{"name":"x"} {}`: "after its end",
		`{"name":"` + strings.Repeat("a", 70_000) + `"}`: "at most 64 kB",
	} {
		_, err := profile.Decode([]byte(text))
		require.Error(t, err, text[:min(60, len(text))])
		assert.Contains(t, err.Error(), rule)
	}
	for _, p := range profile.Shipped {
		require.NoError(t, p.Validate(), p.Name)
		data, err := json.Marshal(p)
		require.NoError(t, err)
		back, err := profile.Decode(data)
		require.NoError(t, err, p.Name)
		assert.Equal(t, p, back)
		found, ok := profile.Find(strings.ToUpper(p.Name))
		assert.True(t, ok)
		assert.Equal(t, p.Name, found.Name)
	}
}

// The schema in docs/ has every field, and no other.
func TestTheSchemaOfProfiles(t *testing.T) {
	data, err := os.ReadFile("../../docs/profile.schema.json")
	require.NoError(t, err)
	var schema struct {
		Properties map[string]struct {
			Properties map[string]any `json:"properties"`
		} `json:"properties"`
		Additional bool `json:"additionalProperties"`
	}
	require.NoError(t, json.Unmarshal(data, &schema))
	fields := func(x any) (out []string) {
		for _, f := range reflect.VisibleFields(reflect.TypeOf(x)) {
			name, _, _ := strings.Cut(f.Tag.Get("json"), ",")
			out = append(out, name)
		}
		return out
	}
	keys := func(m map[string]any) (out []string) {
		for k := range m {
			out = append(out, k)
		}
		return out
	}
	var top []string
	for k := range schema.Properties {
		top = append(top, k)
	}
	assert.ElementsMatch(t, fields(profile.Profile{}), top)
	assert.ElementsMatch(t, fields(profile.Names{}), keys(schema.Properties["names"].Properties))
	assert.ElementsMatch(t, fields(profile.File{}), keys(schema.Properties["file"].Properties))
	assert.False(t, schema.Additional)
}

func FuzzDecode(f *testing.F) {
	for _, p := range profile.Shipped {
		data, err := json.Marshal(p)
		require.NoError(f, err)
		f.Add(data)
	}
	s := chain("hips", "thigh_l", "Thigh_l", "été.2", "thigh_r")
	f.Fuzz(func(t *testing.T, data []byte) {
		p, err := profile.Decode(data)
		if err != nil {
			return
		}
		names := p.Names.Changes(s, skeleton.DefaultMarks)
		seen := map[string]bool{}
		for _, j := range s.Joints {
			name, ok := names[j.Name]
			if !ok {
				name = j.Name
			}
			if seen[name] {
				t.Fatalf("%q twice by %s", name, data)
			}
			seen[name] = true
		}
		p.Check(profile.Given{Skeleton: s, Mesh: body(), Marks: skeleton.DefaultMarks})
	})
}

// A joint without vertices of its own is no idle one where another hangs from it that has some.
func TestJointsThatCarryOthersAreNotIdle(t *testing.T) {
	s := chain("root", "hips", "tail", "tip")
	w := &weights.Weights{Joints: []string{"tail"}, Of: [][]weights.Influence{{{Joint: 0, Value: 1}}}}
	assert.Equal(t, []string{"tip"}, profile.Idle(s, w))
	s.Joints[3].Helper = &skeleton.Helper{Driver: "root"}
	assert.Equal(t, []string{"tip"}, profile.Idle(s, w))
	assert.Empty(t, profile.Idle(s, nil), "before a bind nothing is known")
}
