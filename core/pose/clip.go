package pose

import (
	"fmt"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// Clip is a motion: for every frame the root's move from rest, in metres, and
// the turn of each joint about its own axes at rest.
type Clip struct {
	Name   string          `json:"name"`
	Step   float64         `json:"step"` // seconds a frame
	Joints []string        `json:"joints"`
	Root   []r3.Vec        `json:"root"`  // by frame
	Turns  [][]quat.Number `json:"turns"` // by frame, then joint
}

// Frames returns the number of frames.
func (c *Clip) Frames() int { return len(c.Turns) }

// Validate reports the first frame that does not fit the joints.
func (c *Clip) Validate() error {
	if !(c.Step > 0) {
		return fmt.Errorf("a frame of clip %q lasts %g seconds", c.Name, c.Step)
	}
	if len(c.Root) != len(c.Turns) {
		return fmt.Errorf("clip %q has %d places of the root for %d frames", c.Name, len(c.Root), len(c.Turns))
	}
	for f, list := range c.Turns {
		if len(list) != len(c.Joints) {
			return fmt.Errorf("frame %d of clip %q has %d turns for %d joints", f, c.Name, len(list), len(c.Joints))
		}
	}
	return nil
}

// At returns the pose of a frame and the root's move.
func (c *Clip) At(frame int) (Pose, r3.Vec) {
	p := Pose{}
	for i, name := range c.Joints {
		p[name] = c.Turns[frame][i]
	}
	return p, c.Root[frame]
}
