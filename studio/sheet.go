package studio

import (
	"wisemarrow/core/deform"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
)

// ReelRequest is what a test reel is made of, as a person asks for it.
type ReelRequest struct {
	Kinds  []string `json:"kinds,omitempty"`  // of segments; none is all
	Joints []string `json:"joints,omitempty"` // that are tried alone; none is all
	Amount float64  `json:"amount" in:"0<..1.5" help:"share of the usual ranges"`
	Steps  int      `json:"steps" as:"Frames per swing" in:"1..60"` // from rest to an end
	// Builds are measured too: sets of values of shape targets, or targets, by name.
	Builds []string `json:"builds,omitempty" help:"sets of slider values, or shape targets at 1"`
}

// Usual are the options of the usual reel.
var Usual = ReelRequest{Amount: 1, Steps: 4}

// Reel builds the reel that is asked for; with back also the ways back, as one looks at it.
func (s *State) Reel(a ReelRequest, back bool) *pose.Reel {
	o := pose.ReelOptions{Joints: a.Joints, Amount: a.Amount, Steps: a.Steps, Back: back, Kinds: a.Kinds, Marks: s.Settings.Marks}
	o.Own = append(o.Own, s.Poses...)
	o.Own = append(o.Own, s.Clips...)
	return pose.NewReel(s.Skeleton, o)
}

// TestReel is the reel that the skin was tried in last, or the usual one, with its ways back.
func (s *State) TestReel() *pose.Reel {
	if s.Sheet != nil {
		return s.Reel(s.Sheet.Asked, true)
	}
	return s.Reel(Usual, true)
}

// Brief is how a skin came through a reel, in a few numbers.
type Brief struct {
	Score float64            `json:"score"` // the mean over frames of all that was measured in each, over the limits
	Over  int                `json:"over"`  // places over their limits
	Worst map[string]float64 `json:"worst"` // by kind, over its limit
}

// BuildBrief is how a build of a character came through a reel.
type BuildBrief struct {
	Name string `json:"name"`
	Brief
}

// Sheet is the score sheet of a character: how its skin came through the test reel.
type Sheet struct {
	Brief
	Asked    ReelRequest    `json:"asked"`
	Vertices int            `json:"vertices"`
	Rest     float64        `json:"rest"`
	Segments []pose.Segment `json:"segments"`
	Frames   []float64      `json:"frames"` // by frame of the reel with its ways back: the worst, over its limit
	Kinds    []int          `json:"kinds"`  // by frame: of which kind, by deform.FaultKinds; -1 of none
	Faults   []deform.Fault `json:"faults"` // frames are of the reel with its ways back
	Crossed  int            `json:"crossed"`
	Cut      bool           `json:"cut,omitempty"`
	Layers   int            `json:"layers"` // that were looked through
	Builds   []BuildBrief   `json:"builds,omitempty"`
	Left     int            `json:"left,omitempty"` // ends of ranges that were not tried, for there are too many joints
	// Stale: what was measured has changed since.
	Stale  bool   `json:"stale,omitempty"`
	Before *Brief `json:"before,omitempty"` // of the time before, of the same reel
}

// onMesh is the sheet on another mesh: its vertices are others where their numbers changed.
func (s *Sheet) onMesh(o mesh.Origin) *Sheet {
	if s == nil || o == nil {
		return s
	}
	out := *s
	out.Stale, out.Faults = true, nil
	return &out
}

// settledSheet marks a sheet as of before where what it measured has changed.
func settledSheet(before, after State) *Sheet {
	x := after.Sheet
	if x == nil || x != before.Sheet || x.Stale {
		return x
	}
	skin := after.Weights == before.Weights && after.Skeleton == before.Skeleton && after.Binding == before.Binding
	if skin && after.Shapes == before.Shapes && sameGeometry(after.Mesh, before.Mesh) &&
		same(after.Poses, before.Poses) && same(after.Clips, before.Clips) {
		return x
	}
	if after.Weights == nil {
		return nil
	}
	out := *x
	out.Stale = true
	return &out
}
