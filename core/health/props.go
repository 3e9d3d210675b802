package health

import (
	"math"

	"wisemarrow/core/finding"
	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/wording"
)

const (
	// propsTried is how many loose pieces are asked which joints lie in them.
	propsTried = 200
	// propShare is how far from the body's skin a joint must be, of the body's height.
	propShare = 0.03
)

// InProps looks for joints that lie in a loose piece, as a hat, a bag or a lantern, and not
// in the body. The body is the piece in which most joints lie, at least half of them;
// where the body is made of several pieces nothing can be said. Joints whose partner lies
// in a loose piece too are in a shoe or a glove, which is right, and so are those of which
// a neighbour lies there: what is held by two joints is a part of the body.
func InProps(c *mesh.Surface, s *skeleton.Skeleton, x skeleton.Marks) []finding.Finding {
	if c.Pieces.Count() < 2 {
		return nil
	}
	s = s.WithoutHelpers()
	boxes := c.Pieces.Boxes(c.At)
	tris := make([][][3]int32, c.Pieces.Count())
	for _, t := range c.Tris {
		if p := c.Pieces.OfVertex[t[0]]; p >= 0 {
			tris[p] = append(tris[p], t)
		}
	}
	inside := func(piece int) ([]bool, *geom.Tree) {
		tree := geom.NewTree(c.At, tris[piece])
		tree.PrepareWinding()
		out := make([]bool, len(s.Joints))
		for i, j := range s.Joints {
			out[i] = boxes[piece].Distance2(j.Pos) == 0 && math.Abs(tree.Winding(j.Pos)) > 0.5
		}
		return out, tree
	}
	body := c.Pieces.Largest()
	in, surface := inside(body)
	held, off, limit := 0, 0.0, propShare*boxes[body].Size().Y
	for i, yes := range in {
		if yes {
			held++
			continue
		}
		// The crown of a head that goes on under its hat is near the skin.
		_, _, d := surface.Nearest(s.Joints[i].Pos)
		in[i] = d < limit
	}
	if 2*held < len(s.Joints) {
		return nil
	}
	of := make([]int, len(s.Joints)) // the loose piece that a joint lies in, -1
	for i := range of {
		of[i] = -1
	}
	tried := 0
	for piece := range boxes {
		if piece == body || len(tris[piece]) == 0 || tried == propsTried {
			continue
		}
		near := false
		for i, j := range s.Joints {
			near = near || !in[i] && boxes[piece].Distance2(j.Pos) == 0
		}
		if !near {
			continue
		}
		tried++
		within, _ := inside(piece)
		for i, yes := range within {
			if yes && !in[i] {
				of[i] = piece
			}
		}
	}
	f := finding.Finding{Code: "joint_in_prop", Severity: finding.Note,
		Why: "It is in a loose piece, and neither its partner nor any other joint is: a hat, bag or prop may have been mistaken for the body. Move the joint, or mark the tip and fit again."}
	deform, children, pairs := s.Deforming(), s.Children(), s.Pairs(x)
	for i, piece := range of {
		if piece < 0 {
			continue
		}
		company := false
		for k, other := range of {
			company = company || k != i && other == piece && s.Joints[k].Parent != i && s.Joints[i].Parent != k
		}
		if p := s.Joints[i].Parent; company || p >= 0 && of[p] >= 0 {
			continue
		}
		if k := pairs.Partner[i]; k >= 0 && of[k] >= 0 {
			continue
		}
		with := false // what hangs from it lies in the piece too: then the whole limb is made of it
		for _, k := range children[i] {
			with = with || of[k] == piece && len(children[k]) > 0
		}
		if with {
			continue
		}
		_, _, d := surface.Nearest(s.Joints[i].Pos)
		off = math.Max(off, d)
		if deform[i] {
			f.Severity = finding.Harms
		}
		f.Count++
		f.Where.Joints = append(f.Where.Joints, s.Joints[i].Name)
		f.Where.Vertices = append(f.Where.Vertices, verticesOf(c, piece)...)
	}
	if f.Count == 0 {
		return nil
	}
	f.Title = wording.Count(f.Count, "joint is in a loose piece", "joints are in loose pieces")
	f.Evidence = []finding.Evidence{metres("farthest from the body", off, limit)}
	return []finding.Finding{f}
}

func verticesOf(c *mesh.Surface, piece int) (out []int32) {
	for v, p := range c.Pieces.OfVertex {
		if int(p) == piece {
			out = append(out, int32(v))
		}
	}
	return out
}
