package shape_test

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"testing"

	"wisemarrow/core/geom"
	"wisemarrow/core/pose"
	"wisemarrow/core/shape"
	"wisemarrow/core/skeleton"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/num/quat"
)

// builtSample is a character in a build and a pose, with its skin matrices, for what the page works out itself.
type builtSample struct {
	Joints   []pageJoint           `json:"joints"`
	Binding  *pose.Binding         `json:"binding"`
	Rig      *shape.Rig            `json:"rig"`
	Values   []float64             `json:"values"`
	Angles   map[string][3]float64 `json:"angles"`
	Matrices [][]geom.Matrix       `json:"matrices"` // by record
}

type pageJoint struct {
	Name   string     `json:"name"`
	Parent int        `json:"parent"`
	Pos    [3]float64 `json:"pos"`
	Rot    [4]float64 `json:"rot"`
}

// What the page works out of builds is held against this (web/test): a skin that was bound in several poses, with targets that
// move and turn its joints.
func TestBuildsForThePage(t *testing.T) {
	rng := rand.New(rand.NewPCG(6, 27))
	three := func(size float64) [3]float64 {
		return [3]float64{size * rng.NormFloat64(), size * rng.NormFloat64(), size * rng.NormFloat64()}
	}
	var list []builtSample
	for n := range 6 {
		s := skeleton.Biped(1.6)
		s = &skeleton.Skeleton{Joints: s.Joints[:9]}
		for i := range s.Joints {
			a := three(40)
			s.Joints[i].Rot = pose.Turn(a[0], a[1], a[2])
		}
		x := builtSample{Rig: &shape.Rig{}, Angles: map[string][3]float64{}, Binding: pose.Recorded(s)}
		for range n % 3 { // further records
			other := s.Clone()
			for i := range other.Joints {
				a := three(10)
				other.Joints[i].Rot = geom.Normalise(quat.Mul(pose.Turn(a[0], a[1], a[2]), other.Joints[i].Rot))
				other.Joints[i].Pos.Y += 0.1 * rng.NormFloat64()
			}
			x.Binding.Records = append(x.Binding.Records, pose.Record{Name: "other", Skeleton: other})
		}
		for k := range 3 {
			target := shape.Target{Name: fmt.Sprint("t", k), Joints: map[string]shape.Shift{}}
			for i, j := range s.Joints {
				if (i+k)%2 == 0 {
					target.Joints[j.Name] = shape.Shift{Move: three(0.1), Turn: three(0.3)}
				}
			}
			target.Value = rng.NormFloat64()
			x.Rig.Targets, x.Values = append(x.Rig.Targets, target), append(x.Values, target.Value)
		}
		p := pose.Pose{}
		for i, j := range s.Joints {
			x.Joints = append(x.Joints, pageJoint{j.Name, j.Parent, [3]float64{j.Pos.X, j.Pos.Y, j.Pos.Z},
				[4]float64{j.Rot.Imag, j.Rot.Jmag, j.Rot.Kmag, j.Rot.Real}})
			if i%3 == n%2 {
				a := three(50)
				x.Angles[j.Name], p[j.Name] = a, pose.Turn(a[0], a[1], a[2])
			}
		}
		x.Matrices = x.Rig.For(s, skeleton.DefaultMarks).SkinMatrices(p, x.Binding)
		list = append(list, x)
	}
	const file = "../../web/test/data/builds.json"
	if os.Getenv("WISEMARROW_WRITE") != "" {
		data, err := json.Marshal(list)
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(file, append(data, '\n'), 0o644))
	}
	data, err := os.ReadFile(file)
	require.NoError(t, err)
	var stored []builtSample
	require.NoError(t, json.Unmarshal(data, &stored))
	require.Len(t, stored, len(list))
	for n := range list {
		for r := range list[n].Matrices {
			for i, m := range list[n].Matrices[r] {
				assert.InDeltaSlice(t, m[:], stored[n].Matrices[r][i][:], 1e-9, "write it again with WISEMARROW_WRITE=1")
			}
		}
	}
}
