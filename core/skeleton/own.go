package skeleton

import (
	"fmt"
	"strings"

	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/spatial/r3"
)

// ownShared is how many joints an own starter must share with the kind that it is
// like: fewer do not tell where the rest belongs.
const ownShared = 3

// ownLimit is how many joints an own starter may have.
const ownLimit = 1000

// Own is a starter that a production has made of a skeleton of its own. It is
// fitted as the kind that it is like: the joints that both have stand where the
// kind's are found, the others are carried along. Like the empty starter, all of it
// is placed by its size alone.
type Own struct {
	Name     string            `json:"name"`
	Like     Params            `json:"like"`
	Names    map[string]string `json:"names,omitempty"` // of the kind's joints here, where they are others
	Skeleton *Skeleton         `json:"skeleton"`
}

// NewOwn makes a starter of a skeleton. maps are namings in which the skeleton may
// know the kind's joints; the one that knows most of them is taken.
func NewOwn(name string, like Params, s *Skeleton, maps []NameMap) (*Own, error) {
	o := &Own{Name: strings.TrimSpace(name), Like: like, Skeleton: s.WithoutHelpers().Clone()}
	for i := range o.Skeleton.Joints {
		j := &o.Skeleton.Joints[i]
		*j = Joint{
			Name:    j.Name,
			Parent:  j.Parent,
			Pos:     j.Pos,
			Rot:     j.Rot,
			Deforms: j.Deforms,
			Mix:     j.Mix,
			Order:   j.Order,
			Axes:    j.Axes,
			Keeps:   j.Keeps,
		}
	}
	kind, err := like.Build()
	if err != nil {
		return nil, err
	}
	most := 0
	for _, m := range append([]NameMap{{}}, maps...) {
		n, names := 0, map[string]string{}
		for _, j := range kind.Joints {
			there := j.Name
			if to, ok := m.Joints[there]; ok {
				there = to
			}
			if s.Index(there) >= 0 {
				n++
				if there != j.Name {
					names[j.Name] = there
				}
			}
		}
		if n > most {
			most, o.Names = n, names
		}
	}
	return o, o.Check()
}

// Check reports what keeps a starter from being fitted.
func (o *Own) Check() error {
	if o.Name == "" || len(o.Name) > 63 {
		return fmt.Errorf("a starter has a name of 1 to 63 characters")
	}
	if o.Skeleton == nil || len(o.Skeleton.Joints) > ownLimit {
		return fmt.Errorf("a starter of a production has at most %d joints", ownLimit)
	}
	if err := o.Skeleton.Validate(); err != nil {
		return fmt.Errorf("starter %s: %w", o.Name, err)
	}
	if o.Like.Starter == "empty" || o.Like.Starter == "shape" {
		return o.Like.Check() // placed by its size alone, or by the names of the limbs that are read
	}
	if shared := o.shared(); len(shared) < ownShared {
		what := "none"
		if len(shared) > 0 {
			what = strings.Join(shared, ", ")
		}
		return fmt.Errorf(
			"starter %s has too few joints in common with the %s (%s): choose another kind, snap that kind to its joints, or place it by size",
			o.Name,
			o.Like.Starter,
			what,
		)
	}
	return nil
}

// shared returns the joints of the kind that the starter has.
func (o *Own) shared() []string {
	kind, err := o.Like.Build()
	if err != nil {
		return nil
	}
	var out []string
	for _, j := range kind.Joints {
		if o.Skeleton.Index(o.NameOf(j.Name)) >= 0 {
			out = append(out, j.Name)
		}
	}
	return out
}

// NameOf returns the name here of a joint of the kind.
func (o *Own) NameOf(joint string) string {
	if n, ok := o.Names[joint]; ok {
		return n
	}
	return joint
}

// Kind returns the names of the kind's joints by those here.
func (o *Own) Kind() map[string]string {
	out := map[string]string{}
	for kind, here := range o.Names {
		out[here] = kind
	}
	return out
}

// Standing returns the skeleton of the starter standing at the origin.
func (o *Own) Standing() *Skeleton {
	box := geom.EmptyBox()
	for _, j := range o.Skeleton.Joints {
		box = box.Add(j.Pos)
	}
	foot := r3.Vec{X: box.Centre().X, Y: box.Min.Y, Z: box.Centre().Z}
	out := o.Skeleton.Clone()
	for i := range out.Joints {
		out.Joints[i].Pos = r3.Sub(out.Joints[i].Pos, foot)
	}
	return Carried(o.Skeleton, out)
}
