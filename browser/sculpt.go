package browser

import (
	"encoding/json"
	"errors"
	"fmt"
	"slices"

	"wisemarrow/core/deform"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/sculpt"
	"wisemarrow/core/shape"
)

// shapes are the shape targets of a desk, and the surface on which one of them is sculpted.
type shapes struct {
	skin    *deform.Skin // without them
	targets []mesh.Shape
	rig     *shape.Rig
	values  *shape.Evaluator
	surface *sculpt.Surface
	there   string // where the surface is, as JSON
	at      int    // the target of it
	stroke  *sculpt.Stroke
}

// There is where something is sculpted: the target, the pose, and how far on targets are held by hand.
type There struct {
	Target string                `json:"target"`
	Turns  map[string][4]float64 `json:"turns"` // of joints about their own axes, x y z w
	Held   map[string]float64    `json:"held"`
}

// BeginSculpting begins a stroke with a brush as JSON at a place as JSON (There); chosen limits it to those vertices, nil is all.
func (d *Desk) BeginSculpting(brush, there string, chosen []uint32) error {
	d.stroke, d.shapes.stroke = nil, nil
	var b sculpt.Brush
	if err := json.Unmarshal([]byte(brush), &b); err != nil {
		return fmt.Errorf("the brush cannot be read: %w", err)
	}
	if err := d.surfaceAt(there); err != nil {
		return err
	}
	d.shapes.surface.Limit(d.only(chosen))
	var err error
	d.shapes.stroke, err = d.shapes.surface.Begin(b)
	return err
}

// surfaceAt makes the surface one that stands there, if it is not.
func (d *Desk) surfaceAt(there string) error {
	x := &d.shapes
	if x.surface != nil && x.there == there {
		return nil
	}
	var at There
	if err := json.Unmarshal([]byte(there), &at); err != nil {
		return fmt.Errorf("the pose cannot be read: %w", err)
	}
	x.surface = nil
	k := -1
	if x.rig != nil {
		k = x.rig.Find(at.Target)
	}
	if k < 0 {
		return fmt.Errorf("there is no shape target %q", at.Target)
	}
	p, err := pose.Turned(at.Turns)
	if err != nil {
		return err
	}
	on := sculpt.On{
		Net: d.net, Skin: x.skin, Targets: x.targets, Values: x.values.Holding(at.Held), Target: k, Pose: p, Plane: d.rules.Plane,
	}
	if len(d.e.Joints) == 0 {
		on.Skin = nil // no joint moves it
	}
	if x.surface, err = sculpt.New(on); err != nil {
		return err
	}
	x.there, x.at = there, k
	return nil
}

func (x *shapes) touch(touches string) (Painted, error) {
	changed, err := touched(touches, x.stroke.Touch)
	if err != nil {
		return Painted{}, err
	}
	return x.changed(changed), nil
}

func (x *shapes) changed(list []int32) Painted {
	out := Painted{Width: 3, Value: x.surface.Offsets(list)}
	for _, v := range list {
		out.Vertex = append(out.Vertex, uint32(v))
	}
	return out
}

// endSculpting ends a stroke that sculpts, or with back takes it back.
func (d *Desk) endSculpting(back bool) Painted {
	x := &d.shapes
	stroke := x.stroke
	x.stroke = nil
	var out Painted
	if back {
		out = x.changed(stroke.Undo())
	}
	x.targets = slices.Clone(x.targets)
	x.targets[x.at] = x.surface.Target()
	d.Skin = x.skin.Shaped(x.targets, x.values)
	return out
}

// Target is the target that was sculpted last, as it is now.
func (d *Desk) Target() (mesh.Shape, error) {
	if d.shapes.surface == nil {
		return mesh.Shape{}, errors.New("nothing was sculpted")
	}
	return d.shapes.surface.Target(), nil
}

// Sculpted measures the target and the skin at a place as JSON (There), as JSON.
func (d *Desk) Sculpted(there string) (string, error) {
	if d.shapes.stroke != nil {
		return "", errors.New("a stroke is on its way")
	}
	if err := d.surfaceAt(there); err != nil {
		return "", err
	}
	body := d.Skin
	if len(d.e.Joints) == 0 {
		body = nil
	}
	out, err := json.Marshal(d.shapes.surface.Measure(body))
	return string(out), err
}
