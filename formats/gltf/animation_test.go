package gltf_test

import (
	"bytes"
	"encoding/binary"
	"encoding/json"
	"math"
	"testing"

	"wisemarrow/core/geom"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/formats/gltf"
	"wisemarrow/formats/reading"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// The nodes of a written file, moved by its animation as glTF 2.0 says (appendix C:
// local transforms T·R, samplers by time), stand where core/pose puts the joints.
func TestAWrittenMotionMovesTheNodesAsThePoseDoes(t *testing.T) {
	m, s, w := patch()
	s.Joints = append(s.Joints, skeleton.Joint{Name: "shank_l", Parent: 1, Pos: r3.Vec{X: 0.5, Y: -0.3}, Rot: geom.Identity})
	c := &pose.Clip{Name: "kick", Step: 0.25, Joints: []string{"hips", "thigh_l", "shank_l", "nobody"}}
	for f := range 7 {
		c.Root = append(c.Root, r3.Vec{X: 0.1 * float64(f)})
		// The thigh turns through more than half a turn, the shank never.
		c.Turns = append(c.Turns, []quat.Number{pose.Turn(0, 10*float64(f), 0), pose.Turn(60*float64(f), 0, 20), {Real: 1}, {Imag: 1}})
	}
	var file bytes.Buffer
	require.NoError(
		t,
		gltf.EncodeGLB(&file, &gltf.Scene{Mesh: m, Skeleton: s, Weights: w, Clips: []*pose.Clip{c, {Name: "still", Step: 1}}}),
	)
	data := file.Bytes()
	length := binary.LittleEndian.Uint32(data[12:])
	bin := data[20+length+8:]
	var doc struct {
		Animations []struct {
			Name     string
			Channels []struct {
				Sampler int
				Target  struct {
					Node int
					Path string
				}
			}
			Samplers []struct{ Input, Output int }
		}
		Accessors []struct {
			BufferView, Count int
			Type              string
			Min, Max          []float64
		}
		BufferViews []struct{ ByteOffset, ByteLength int }
	}
	require.NoError(t, json.Unmarshal(data[20:20+length], &doc))
	floats := func(accessor int) (out []float64) {
		v := doc.BufferViews[doc.Accessors[accessor].BufferView]
		for k := 0; k < v.ByteLength; k += 4 {
			out = append(out, float64(math.Float32frombits(binary.LittleEndian.Uint32(bin[v.ByteOffset+k:]))))
		}
		return out
	}
	require.Len(t, doc.Animations, 1, "a clip without frames is none")
	a := doc.Animations[0]
	require.Equal(t, "kick", a.Name)
	require.Len(t, a.Channels, 3, "two joints turn, the root moves")
	times := floats(a.Samplers[0].Input)
	require.Len(t, times, 7)
	require.Equal(t, []float64{0}, doc.Accessors[a.Samplers[0].Input].Min)
	require.Equal(t, times[6], doc.Accessors[a.Samplers[0].Input].Max[0])
	for f := range times {
		require.InDelta(t, 0.25*float64(f), times[f], 1e-7)
		local := make([]geom.Matrix, len(s.Joints))
		at, turn := make([]r3.Vec, len(s.Joints)), make([]quat.Number, len(s.Joints))
		for i := range s.Joints {
			at[i], turn[i] = s.Local(i)
		}
		for _, ch := range a.Channels {
			v := floats(a.Samplers[ch.Sampler].Output)
			switch ch.Target.Path {
			case "rotation":
				q := v[4*f : 4*f+4]
				turn[ch.Target.Node] = quat.Number{Imag: q[0], Jmag: q[1], Kmag: q[2], Real: q[3]}
				if f > 0 { // neighbours lie on one half, so that a player goes the short way
					p := v[4*f-4 : 4*f]
					require.Positive(t, p[0]*q[0]+p[1]*q[1]+p[2]*q[2]+p[3]*q[3])
				}
			case "translation":
				at[ch.Target.Node] = r3.Vec{X: v[3*f], Y: v[3*f+1], Z: v[3*f+2]}
			}
		}
		p, move := c.At(f)
		want := pose.World(s, p)
		for i, j := range s.Joints {
			local[i] = geom.Rigid(at[i], turn[i])
			if j.Parent >= 0 {
				local[i] = local[j.Parent].Mul(local[i])
			}
			require.InDelta(
				t,
				0,
				r3.Norm(r3.Sub(local[i].Point(r3.Vec{}), r3.Add(move, want[i].Point(r3.Vec{})))),
				1e-5,
				"%s in frame %d",
				j.Name,
				f,
			)
		}
	}
	again, err := gltf.Decode(bytes.NewReader(data), nil, reading.Default)
	require.NoError(t, err)
	require.Len(t, again.Skeleton.Joints, 3, "the file is read as before")
}
