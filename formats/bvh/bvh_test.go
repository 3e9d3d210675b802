package bvh_test

import (
	"bufio"
	"bytes"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"wisemarrow/core/geom"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/formats/bvh"
	"wisemarrow/formats/reading"
	"wisemarrow/internal/need"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// Motions of the CMU Graphics Lab (mocap.cs.cmu.edu, NSF EIA-0196217) as Debian's
// assimp-testmodels ships them.
const folder = "/usr/share/assimp/models/BVH"

func open(t *testing.T, name string) ([]byte, *bvh.File) {
	t.Helper()
	data, err := os.ReadFile(filepath.Join(folder, name))
	if os.IsNotExist(err) {
		need.Skip(t, "Debian's assimp-testmodels is not installed")
	}
	require.NoError(t, err)
	f, err := bvh.Decode(bytes.NewReader(data), reading.Default)
	require.NoError(t, err)
	return data, f
}

// The counts are those that Debian's assimp tells of the same files.
func TestMotionsOfCMUHaveTheJointsThatAssimpCounts(t *testing.T) {
	for name, want := range map[string]struct {
		joints, moved int
	}{"01_01.bvh": {38, 31}, "Boxing_Toes.bvh": {26, 21}} {
		_, f := open(t, name)
		require.Len(t, f.Skeleton.Joints, want.joints, name)
		require.Len(t, f.Clip.Joints, want.moved, name)
		require.NoError(t, f.Skeleton.Validate())
	}
	_, f := open(t, "01_01.bvh")
	require.Equal(t, 2752, f.Clip.Frames())
	require.InDelta(t, 0.0083333, f.Clip.Step, 1e-9)
	require.Equal(t, f.Skeleton.Index("LeftUpLeg"), f.Skeleton.Joints[f.Skeleton.Index("LeftLeg")].Parent)
}

// The motion in places of joints, against plain matrices written here, in the
// order of the file's channels: M = T·R1·R2·R3 (Meredith and Maddock, Motion
// Capture File Formats Explained, 2001).
func TestFramesStandWhereMatricesPutThem(t *testing.T) {
	data, f := open(t, "01_01.bvh")
	for _, frame := range []int{0, 700, 2751} {
		want := byMatrices(t, data, frame)
		p, root := f.Clip.At(frame)
		got := places(f.Skeleton, p, root)
		require.Len(t, got, len(want))
		for name, w := range want {
			require.InDelta(t, 0, r3.Norm(r3.Sub(w, got[name])), 1e-9, "%s of frame %d", name, frame)
		}
	}
}

func TestWhatWeWriteIsReadBack(t *testing.T) {
	_, f := open(t, "Boxing_Toes.bvh")
	f.Clip.Root, f.Clip.Turns = f.Clip.Root[:40], f.Clip.Turns[:40]
	var buf bytes.Buffer
	require.NoError(t, bvh.Encode(&buf, f.Skeleton, f.Clip))
	g, err := bvh.Decode(&buf, reading.Default)
	require.NoError(t, err)
	require.Equal(t, f.Clip.Frames(), g.Clip.Frames())
	for frame := range f.Clip.Turns {
		a, ra := f.Clip.At(frame)
		b, rb := g.Clip.At(frame)
		pa, pb := places(f.Skeleton, a, ra), places(g.Skeleton, b, rb)
		for name, w := range pa {
			if _, ok := pb[name]; ok { // end sites have no names of their own
				require.InDelta(t, 0, r3.Norm(r3.Sub(w, pb[name])), 1e-5, name)
			}
		}
	}
}

// Joint axes at rest that are not the world's make no difference to the places.
func TestWritingMindsTheAxesAtRest(t *testing.T) {
	q := geom.AxisAngle(r3.Vec{X: 1, Y: 2, Z: -1}, 1.1)
	s := &skeleton.Skeleton{Joints: []skeleton.Joint{
		{Name: "a", Parent: -1, Pos: r3.Vec{Y: 1}, Rot: q},
		{Name: "b", Parent: 0, Pos: r3.Vec{X: 1, Y: 1}, Rot: geom.AxisAngle(r3.Vec{Z: 1}, -0.4)},
		{Name: "b_end", Parent: 1, Pos: r3.Vec{X: 1.5, Y: 1}, Rot: q},
	}}
	c := &pose.Clip{
		Step:   0.1,
		Joints: []string{"a", "b"},
		Root:   []r3.Vec{{Z: 2}},
		Turns:  [][]quat.Number{{geom.AxisAngle(r3.Vec{Y: 1}, 0.8), geom.AxisAngle(r3.Vec{X: 1, Z: 1}, -math.Pi/2)}},
	}
	var buf bytes.Buffer
	require.NoError(t, bvh.Encode(&buf, s, c))
	g, err := bvh.Decode(&buf, reading.Default)
	require.NoError(t, err)
	p, root := c.At(0)
	o, back := g.Clip.At(0)
	want, got := places(s, p, root), places(g.Skeleton, o, back)
	require.Len(t, got, 3)
	for name := range want {
		require.InDelta(t, 0, r3.Norm(r3.Sub(want[name], got[name])), 1e-7, name)
	}
}

func TestBrokenFilesAreRefusedWithTheirLine(t *testing.T) {
	head := "HIERARCHY\nROOT a\n{\nOFFSET 0 0 0\nCHANNELS 3 Zrotation Xrotation Yrotation\nEnd Site\n{\nOFFSET 0 1 0\n}\n}\nMOTION\n"
	for text, want := range map[string]string{
		"":                                                   "HIERARCHY",
		"HIERARCHY\nROOT a\n{\nOFFSET 0 x 0\n":               "line 4",
		"HIERARCHY\nROOT a\n{\nOFFSET 0 nan 0\n":             "line 4",
		"HIERARCHY\nROOT a\n{\nOFFSET 0 0 0\n":               "ends within joint a",
		head + "Frames: 2\nFrame Time: 0.1\n1 2 3":           "",
		head + "Frames: 1e9\nFrame Time: 0.1\n":              "frames",
		head + "Frames: 1\nFrame Time: -1\n1 2 3":            "seconds",
		strings.Replace(head, "CHANNELS 3", "CHANNELS 7", 1): "line 5",
		strings.Replace(head, "Zrotation", "Wrotation", 1):   "not a channel",
		"HIERARCHY\n" + strings.Repeat("ROOT a {\nOFFSET 0 0 0\nJOINT b {\nOFFSET 0 0 0\n", 1) + strings.Repeat("JOINT c {\nOFFSET 0 0 0\n", 600): "one under another",
	} {
		_, err := bvh.Decode(strings.NewReader(text), reading.Default)
		require.Error(t, err, text)
		require.ErrorContains(t, err, want)
	}
}

func FuzzDecode(f *testing.F) {
	f.Add(
		"HIERARCHY\nROOT a\n{\nOFFSET 0 0 0\nCHANNELS 6 Xposition Yposition Zposition Zrotation Xrotation Yrotation\nJOINT b\n{\nOFFSET 0 1 0\nCHANNELS 3 Zrotation Xrotation Yrotation\nEnd Site\n{\nOFFSET 0 1 0\n}\n}\n}\nMOTION\nFrames: 1\nFrame Time: 0.1\n1 2 3 4 5 6 7 8 9\n",
	)
	f.Fuzz(func(t *testing.T, text string) {
		g, err := bvh.Decode(strings.NewReader(text), reading.Limits{Bytes: 1 << 16, Vertices: 100})
		if err != nil {
			return
		}
		if err := g.Skeleton.Validate(); err != nil {
			t.Fatal("a skeleton that was read is not sound:", err)
		}
		var buf bytes.Buffer
		if err := bvh.Encode(&buf, g.Skeleton, g.Clip); err != nil {
			t.Fatal("what was read cannot be written:", err)
		}
	})
}

// places poses a skeleton: turns are about the joints' own axes at rest.
func places(s *skeleton.Skeleton, p pose.Pose, root r3.Vec) map[string]r3.Vec {
	out := map[string]r3.Vec{}
	at, turn := make([]r3.Vec, len(s.Joints)), make([]quat.Number, len(s.Joints))
	for i, j := range s.Joints {
		own := geom.Identity
		if q, ok := p[j.Name]; ok {
			own = quat.Mul(j.Rot, quat.Mul(q, quat.Conj(j.Rot)))
		}
		at[i], turn[i] = r3.Add(j.Pos, root), own
		if j.Parent >= 0 {
			at[i] = r3.Add(at[j.Parent], geom.Rotate(turn[j.Parent], r3.Sub(j.Pos, s.Joints[j.Parent].Pos)))
			turn[i] = quat.Mul(turn[j.Parent], own)
		}
		out[j.Name] = at[i]
	}
	return out
}

type matrix [3][3]float64

func (a matrix) times(b matrix) (c matrix) {
	for i := range 3 {
		for j := range 3 {
			for k := range 3 {
				c[i][j] += a[i][k] * b[k][j]
			}
		}
	}
	return c
}

func (a matrix) of(v [3]float64) (w [3]float64) {
	for i := range 3 {
		for k := range 3 {
			w[i] += a[i][k] * v[k]
		}
	}
	return w
}

// byMatrices reads a file line by line and poses one frame with matrices.
func byMatrices(t *testing.T, data []byte, frame int) map[string]r3.Vec {
	type joint struct {
		name     string
		parent   int
		off      [3]float64
		channels []string
	}
	var list []joint
	var stack []int
	var row []float64
	frames := -1
	number := func(s string) float64 {
		v, err := strconv.ParseFloat(s, 64)
		require.NoError(t, err)
		return v
	}
	lines := bufio.NewScanner(bytes.NewReader(data))
	lines.Buffer(nil, 1<<20)
	for lines.Scan() {
		w := strings.Fields(lines.Text())
		if len(w) == 0 {
			continue
		}
		switch {
		case frames >= 0:
			if frames == frame {
				for _, x := range w {
					row = append(row, number(x))
				}
			}
			frames++
		case w[0] == "ROOT" || w[0] == "JOINT" || w[0] == "End":
			j := joint{parent: -1, name: w[1]}
			if len(stack) > 0 {
				j.parent = stack[len(stack)-1]
			}
			if w[0] == "End" {
				j.name = list[j.parent].name + "_end"
			}
			list = append(list, j)
			stack = append(stack, len(list)-1)
		case w[0] == "OFFSET":
			for k := range 3 {
				list[len(list)-1].off[k] = number(w[k+1])
			}
		case w[0] == "CHANNELS":
			list[len(list)-1].channels = w[2:]
		case w[0] == "}":
			stack = stack[:len(stack)-1]
		case w[0] == "Frame":
			frames = 0
		}
	}
	out := map[string]r3.Vec{}
	turn, at := make([]matrix, len(list)), make([][3]float64, len(list))
	next := 0
	for i, j := range list {
		own := matrix{{1, 0, 0}, {0, 1, 0}, {0, 0, 1}}
		place := j.off
		if len(j.channels) == 6 { // places of the root are absolute
			place = [3]float64{}
		}
		for _, c := range j.channels {
			v := row[next]
			next++
			a := int(c[0] - 'X')
			if strings.HasSuffix(c, "position") {
				place[a] += v
				continue
			}
			s, k := math.Sin(v*math.Pi/180), math.Cos(v*math.Pi/180)
			b, d := (a+1)%3, (a+2)%3
			m := matrix{}
			m[a][a], m[b][b], m[b][d], m[d][b], m[d][d] = 1, k, -s, s, k
			own = own.times(m)
		}
		if j.parent < 0 {
			turn[i], at[i] = own, place
		} else {
			turn[i] = turn[j.parent].times(own)
			w := turn[j.parent].of(place)
			for k := range 3 {
				at[i][k] = at[j.parent][k] + w[k]
			}
		}
		out[j.name] = r3.Vec{X: at[i][0], Y: at[i][1], Z: at[i][2]}
	}
	return out
}

// A file that announces more motion than fits is refused where it says so, before
// any of it is read.
func TestTooMuchMotionIsRefusedBeforeItIsRead(t *testing.T) {
	var b strings.Builder
	b.WriteString("HIERARCHY\nROOT j0\n{\nOFFSET 0 0 0\nCHANNELS 3 Zrotation Xrotation Yrotation\n")
	const joints = 100
	for k := 1; k < joints; k++ {
		b.WriteString("JOINT j" + strconv.Itoa(k) + "\n{\nOFFSET 0 1 0\nCHANNELS 3 Zrotation Xrotation Yrotation\n")
	}
	b.WriteString("End Site\n{\nOFFSET 0 1 0\n}\n" + strings.Repeat("}\n", joints) + "MOTION\nFrames: ")
	head := b.String()
	for frames, want := range map[string]string{"40001": "exceed 4000000 rotations", "200001": "frames where", "-1": "frames where", "1.5": "frames where", "many": "many"} {
		_, err := bvh.Decode(strings.NewReader(head+frames+"\nFrame Time: 0.01\n"), reading.Default)
		require.ErrorContains(t, err, want)
		require.ErrorContains(t, err, "line")
	}
}

// Names that come twice get a number, and never one that another joint has.
func TestJointsOfOneNameAreToldApart(t *testing.T) {
	const joint = "JOINT %s\n{\nOFFSET 0 1 0\nCHANNELS 0\nEnd Site\n{\nOFFSET 0 1 0\n}\n}\n"
	text := "HIERARCHY\nROOT a\n{\nOFFSET 0 0 0\nCHANNELS 0\n"
	for _, name := range []string{"a_2", "a", "a", "a_2", "a_end"} {
		text += fmt.Sprintf(joint, name)
	}
	f, err := bvh.Decode(strings.NewReader(text+"}\nMOTION\nFrames: 0\nFrame Time: 0.04\n"), reading.Default)
	require.NoError(t, err)
	require.NoError(t, f.Skeleton.Validate())
	require.Len(t, f.Skeleton.Joints, 11)
}
