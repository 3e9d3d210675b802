package pose

import (
	"encoding/json"
	"fmt"
	"math"

	"wisemarrow/core/geom"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// HandRequest is what a person does to a pose: Do is "pull" or "mirror". Turns are about the joints' own axes,
// x y z w.
type HandRequest struct {
	Do    string                `json:"do"`
	Turns map[string][4]float64 `json:"turns"`
	Move  [3]float64            `json:"move"`
	Joint string                `json:"joint"`
	To    [3]float64            `json:"to"`
	Chain int                   `json:"chain"`
	Held  map[string][3]float64 `json:"held"`
	Whole bool                  `json:"whole"`
	Long  float64               `json:"long"` // how long joints may become; 0 is as at rest
}

// Handed is the pose that comes of it, and how far the joint, and what is held, stay off, metres.
type Handed struct {
	Turns map[string][4]float64 `json:"turns"`
	Move  [3]float64            `json:"move"`
	Off   float64               `json:"off"`
	Slid  float64               `json:"slid"`
}

// Hand poses a skeleton by hand.
type Hand struct {
	s      *skeleton.Skeleton
	marks  skeleton.Marks
	puller *Puller
}

// NewHand prepares a skeleton.
func NewHand(s *skeleton.Skeleton, marks skeleton.Marks) *Hand {
	return &Hand{s, marks, NewPuller(s, marks)}
}

// Do does what is asked.
func (h *Hand) Do(q HandRequest) (*Handed, error) {
	p := Pose{}
	for name, t := range q.Turns {
		x := quat.Number{Imag: t[0], Jmag: t[1], Kmag: t[2], Real: t[3]}
		if n := quat.Abs(x); h.s.Index(name) < 0 || !(n > 1e-9) || math.IsInf(n, 0) {
			return nil, fmt.Errorf("the turn of %q is none", name)
		}
		p[name] = like(x, x)
	}
	vec := func(v [3]float64) r3.Vec { return r3.Vec{X: v[0], Y: v[1], Z: v[2]} }
	move, to := vec(q.Move), vec(q.To)
	if !geom.Finite(move) || !geom.Finite(to) || math.IsNaN(q.Long) {
		return nil, fmt.Errorf("%s is pulled to an invalid position", q.Joint)
	}
	out := &Handed{}
	switch q.Do {
	case "mirror":
		p = p.Mirrored(h.s, h.marks)
		move.X = -move.X
	case "pull":
		held := map[string]r3.Vec{}
		for name, at := range q.Held {
			if held[name] = vec(at); !geom.Finite(held[name]) {
				return nil, fmt.Errorf("%s is held at an invalid position", name)
			}
		}
		var err error
		if p, move, out.Off, out.Slid, err = h.puller.Pull(p, move,
			Pull{Joint: q.Joint, To: to, Chain: q.Chain, Held: held, Whole: q.Whole, Long: math.Min(q.Long, MostLong)}); err != nil {
			return nil, err
		}
	default:
		return nil, fmt.Errorf("a pose is not done %q to; there are pull and mirror", q.Do)
	}
	out.Turns = map[string][4]float64{}
	for name, t := range p {
		out.Turns[name] = [4]float64{t.Imag, t.Jmag, t.Kmag, t.Real}
	}
	out.Move = [3]float64{move.X, move.Y, move.Z}
	return out, nil
}

// DoJSON is Do for JSON in and out.
func (h *Hand) DoJSON(asked string) (string, error) {
	var q HandRequest
	if err := json.Unmarshal([]byte(asked), &q); err != nil {
		return "", fmt.Errorf("what is asked cannot be read: %w", err)
	}
	out, err := h.Do(q)
	if err != nil {
		return "", err
	}
	data, err := json.Marshal(out)
	return string(data), err
}
