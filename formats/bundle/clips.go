package bundle

import (
	"fmt"

	"wisemarrow/core/pose"

	"gonum.org/v1/gonum/num/quat"
)

type clipsMeta struct {
	Clips []clipMeta `json:"clips"`
}

type clipMeta struct {
	Name   string   `json:"name"`
	Step   float64  `json:"step"`
	Joints []string `json:"joints"`
}

// Clips packs motions: their turns as four numbers each, x y z w.
func Clips(list []*pose.Clip) ([]byte, error) {
	var meta clipsMeta
	var b Bundle
	for i, c := range list {
		meta.Clips = append(meta.Clips, clipMeta{c.Name, c.Step, c.Joints})
		turns := make([]float32, 0, 4*len(c.Joints)*c.Frames())
		for _, row := range c.Turns {
			for _, q := range row {
				turns = append(turns, float32(q.Imag), float32(q.Jmag), float32(q.Kmag), float32(q.Real))
			}
		}
		b.Floats(fmt.Sprintf("root_%d", i), 3, flat(c.Root))
		b.Floats(fmt.Sprintf("turns_%d", i), 4, turns)
	}
	b.Meta = meta
	return b.Bytes()
}

// ReadClips unpacks motions.
func ReadClips(data []byte) ([]*pose.Clip, error) {
	var meta clipsMeta
	b, err := Open(data, &meta)
	if err != nil {
		return nil, err
	}
	var out []*pose.Clip
	for i, m := range meta.Clips {
		c := &pose.Clip{Name: m.Name, Step: m.Step, Joints: m.Joints, Root: vectors(b.ReadFloats(fmt.Sprintf("root_%d", i)))}
		turns := b.ReadFloats(fmt.Sprintf("turns_%d", i))
		n := len(m.Joints)
		if len(turns) != 4*n*len(c.Root) {
			return nil, fmt.Errorf("motion %q has %d numbers for %d joints and %d frames", m.Name, len(turns), n, len(c.Root))
		}
		for f := range c.Root {
			row := make([]quat.Number, n)
			for k := range row {
				q := turns[4*(f*n+k):]
				row[k] = quat.Number{Imag: float64(q[0]), Jmag: float64(q[1]), Kmag: float64(q[2]), Real: float64(q[3])}
			}
			c.Turns = append(c.Turns, row)
		}
		out = append(out, c)
	}
	return out, nil
}
