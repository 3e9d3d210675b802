package web

import (
	"bytes"
	"encoding/base64"
	"html/template"
	"net/http"
	"time"

	"wisemarrow/core/deform"
	"wisemarrow/core/finding"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/formats/bundle"
	"wisemarrow/formats/picture"
	"wisemarrow/stages/motion"
	"wisemarrow/studio"
)

// reeled is the test reel as a page shows it, with what its sheet says.
type reeled struct {
	Revision int64          `json:"revision"`
	Segments []pose.Segment `json:"segments"`
	Names    []string       `json:"names"` // of the frames
	Frames   []float64      `json:"frames"`
	Kinds    []int          `json:"kinds"`
	Faults   []string       `json:"faults"` // the kinds of faults, as Kinds numbers them
	Places   []motion.Place `json:"places"`
	Sheet    *studio.Brief  `json:"sheet"`
	Before   *studio.Brief  `json:"before"`
	Stale    bool           `json:"stale"`
	Crossed  int            `json:"crossed"`
	Layers   int            `json:"layers"`
}

// sheet answers with the reel of the head and its score sheet.
func (s *site) sheet(w http.ResponseWriter, r *http.Request) {
	o, err := s.open(r.Context(), param(r, "id"))
	if err == nil && o.state.Skeleton == nil {
		err = studio.ErrNotFound
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	reel := o.state.TestReel()
	out := reeled{Revision: o.rev.ID, Segments: reel.Segments, Names: []string{}, Faults: deform.FaultKinds, Places: motion.Places(o.state)}
	for _, f := range reel.Frames {
		out.Names = append(out.Names, f.Name)
	}
	if x := o.state.Sheet; x != nil {
		out.Sheet, out.Before, out.Stale, out.Crossed, out.Layers = &x.Brief, x.Before, x.Stale, x.Crossed, x.Layers
		if len(x.Frames) == len(reel.Frames) {
			out.Frames, out.Kinds = x.Frames, x.Kinds
		} else { // the reel has become another
			out.Places = []motion.Place{}
		}
	}
	answer(w, http.StatusOK, out)
}

// reelView sends the poses of the reel of a revision.
func (s *site) reelView(w http.ResponseWriter, r *http.Request) {
	_, state, err := s.atRevision(r)
	if err == nil && state.Skeleton == nil {
		err = studio.ErrNotFound
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	data, err := bundle.Clips([]*pose.Clip{state.TestReel().Clip(state.Skeleton, "reel")})
	s.send(w, r, data, err)
}

// hand does to a pose what core does in the page, where that does not run.
func (s *site) hand(w http.ResponseWriter, r *http.Request) {
	var q pose.HandAsked
	s.look(w, r, &q, func(state *studio.State) (any, error) {
		if state.Skeleton == nil {
			return nil, studio.Wrong("there is no skeleton yet")
		}
		out, err := pose.NewHand(state.Skeleton, state.Settings.Marks).Do(q)
		if err != nil {
			return nil, studio.Wrong("%v", err)
		}
		return out, nil
	})
}

// pairs takes a file with a motion in and answers how its joints would be paired.
func (s *site) pairs(w http.ResponseWriter, r *http.Request) {
	file, err := s.takeIn(w, r, "motion", []string{".bvh", ".gltf", ".glb"})
	var o opened
	if err == nil {
		o, err = s.open(r.Context(), param(r, "id"))
	}
	var m *motion.Laying
	if err == nil {
		m, err = motion.LayingOf(r.Context(), s.studio, o.state, file)
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	answer(w, http.StatusOK, m)
}

// worstPrinted is how many places of the sheet are printed, each with its picture.
const worstPrinted = 12

// printed is a place of the score sheet with its picture.
type printed struct {
	motion.Place
	Title   string
	Picture template.URL
}

// score is the score sheet of a character, to be printed.
func (s *site) score(w http.ResponseWriter, r *http.Request) {
	o, err := s.open(r.Context(), param(r, "id"))
	if err == nil && (o.state.Sheet == nil || o.state.Mesh == nil) {
		err = studio.ErrNotFound
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	var list []printed
	reel := o.state.TestReel()
	for _, p := range motion.Places(o.state) {
		if len(list) == worstPrinted {
			break
		}
		x := printed{Place: p, Title: motion.Says[p.Kind].Title}
		if p.Frame < len(reel.Frames) && !o.state.Sheet.Stale {
			var buf bytes.Buffer
			if err := picture.WriteMarked(&buf, posed(o.state, reel.Frames[p.Frame].Pose), finding.Where{Vertices: studio.Unite(p.Where, []int32{p.Vertex})}, 240, 280); err == nil {
				x.Picture = template.URL("data:image/png;base64," + base64.StdEncoding.EncodeToString(buf.Bytes()))
			}
		}
		list = append(list, x)
	}
	s.pages.render(w, r, "score", map[string]any{"Character": o.Character, "Revision": o.rev, "State": o.state, "Sheet": o.state.Sheet, "Places": list, "Head": o.rev.ID, "Printed": time.Now(), "Kinds": kindRows(o.state.Sheet)})
}

// kindRow is how a kind of fault came out.
type kindRow struct {
	Title        string
	Times, Limit float64
	Measured     bool
}

func kindRows(x *studio.Sheet) (out []kindRow) {
	for _, k := range deform.FaultKinds {
		_, seen := x.Worst[k]
		measured := seen || k != deform.FaultCross && k != deform.FaultThrough || k == deform.FaultCross && x.Crossed > 0 || k == deform.FaultThrough && x.Layers > 0
		out = append(out, kindRow{motion.Says[k].Title, x.Worst[k], deform.FaultLimit(k), measured})
	}
	return out
}

// posed is the mesh of a state as it is in a pose.
func posed(s *studio.State, p pose.Pose) *mesh.Mesh {
	return s.Mesh.Placed(deform.Bound(s.Mesh.World(), s.Weights, s.Skeleton, p, s.Binding))
}
