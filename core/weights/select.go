package weights

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/spatial/r3"
)

// Ranges writes ascending numbers as "0-14,20,31-33", as operations and scripts have chosen
// vertices.
func Ranges(list []int32) string {
	var b strings.Builder
	for i := 0; i < len(list); {
		k := i
		for k+1 < len(list) && list[k+1] == list[k]+1 {
			k++
		}
		if b.Len() > 0 {
			b.WriteByte(',')
		}
		b.WriteString(strconv.Itoa(int(list[i])))
		if k > i {
			b.WriteByte('-')
			b.WriteString(strconv.Itoa(int(list[k])))
		}
		i = k + 1
	}
	return b.String()
}

// ParseRanges reads what Ranges writes, of n vertices; in whatever order, each once.
func ParseRanges(text string, n int) ([]int32, error) {
	if strings.TrimSpace(text) == "" {
		return nil, nil
	}
	chosen := make([]bool, n)
	for part := range strings.SplitSeq(text, ",") {
		from, to, both := strings.Cut(strings.TrimSpace(part), "-")
		a, err := strconv.Atoi(from)
		b := a
		if err == nil && both {
			b, err = strconv.Atoi(to)
		}
		if err != nil || a < 0 || b < a || b >= n {
			return nil, fmt.Errorf("%q is not a vertex list: use a form like \"0-14,20\", below %d", part, n)
		}
		for v := a; v <= b; v++ {
			chosen[v] = true
		}
	}
	var out []int32
	for v, yes := range chosen {
		if yes {
			out = append(out, int32(v))
		}
	}
	return out, nil
}

// Grow adds the neighbours of chosen vertices along edges; Shrink takes away those that have a
// neighbour that is not chosen.
func (n *Net) Grow(chosen []bool) []bool {
	out := slices.Clone(chosen)
	for v, yes := range chosen {
		if yes {
			for _, k := range n.Near(int32(v)) {
				out[k] = true
			}
		}
	}
	return out
}

// Shrink takes away vertices that have a neighbour that is not chosen.
func (n *Net) Shrink(chosen []bool) []bool {
	out := slices.Clone(chosen)
	for v := range chosen {
		for _, k := range n.Near(int32(v)) {
			out[v] = out[v] && chosen[k]
		}
	}
	return out
}

// Border leaves those of the chosen that have a neighbour that is not.
func (n *Net) Border(chosen []bool) []bool {
	inner := n.Shrink(chosen)
	out := slices.Clone(chosen)
	for v := range out {
		out[v] = out[v] && !inner[v]
	}
	return out
}

// Piece adds all that edges join to what is chosen.
func (n *Net) Piece(chosen []bool) []bool {
	piece := n.pieces()
	has := map[int32]bool{}
	for v, yes := range chosen {
		if yes {
			has[piece[v]] = true
		}
	}
	out := make([]bool, len(chosen))
	for v := range out {
		out[v] = has[piece[v]]
	}
	return out
}

// Loop returns the vertices of the line of edges that goes straight on from the edge a–b both
// ways: through vertices of four edges by the one that shares no face with the edge it came by,
// elsewhere, as on triangles, by the straightest, as long as it turns by less than 35°.
func (n *Net) Loop(a, b int32) []int32 {
	in := map[int32]bool{a: true, b: true}
	out := []int32{a, b}
	for _, way := range [2][2]int32{{a, b}, {b, a}} {
		from, at := way[0], way[1]
		for range len(n.At) {
			next := n.straight(from, at)
			if next < 0 || in[next] {
				break
			}
			in[next] = true
			out = append(out, next)
			from, at = at, next
		}
	}
	slices.Sort(out)
	return out
}

// straight is the neighbour that goes on where a line came from one vertex to another, -1 where
// none does.
func (n *Net) straight(from, at int32) int32 {
	near := n.Near(at)
	if len(near) != 4 {
		return n.straightest(from, at)
	}
	// Neighbours around a vertex of four quads: the opposite one shares no quad with from, so
	// it has no vertex but this one in common with it within two edges around at.
	beside := map[int32]bool{}
	for _, i := range n.fan[n.first[at]:n.first[at+1]] {
		t := n.Tris[i]
		if t[0] != from && t[1] != from && t[2] != from {
			continue
		}
		for _, v := range t {
			beside[v] = true
		}
	}
	for _, v := range n.Near(from) { // the fourth corners of the quads at from–at
		if v == at {
			continue
		}
		for _, k := range near {
			if k != from && slices.Contains(n.Near(v), k) && n.face(v, k, at) {
				beside[k] = true
			}
		}
	}
	next := int32(-1)
	for _, k := range near {
		if k != from && !beside[k] {
			if next >= 0 {
				return -1
			}
			next = k
		}
	}
	return next
}

// mostTurn is the cosine of the most that a line over triangles turns at a vertex.
var mostTurn = math.Cos(35 * math.Pi / 180)

// straightest is the neighbor to which a line turns least, -1 where it would turn too far.
func (n *Net) straightest(from, at int32) int32 {
	way := r3.Sub(n.At[at], n.At[from])
	best, next := mostTurn, int32(-1)
	for _, k := range n.Near(at) {
		on := r3.Sub(n.At[k], n.At[at])
		if k == from || r3.Norm(way) == 0 || r3.Norm(on) == 0 {
			continue
		}
		if c := r3.Dot(r3.Unit(way), r3.Unit(on)); c > best {
			best, next = c, k
		}
	}
	return next
}

// face reports whether a triangle has three vertices, or two triangles at an edge have them.
func (n *Net) face(a, b, c int32) bool {
	has := func(t [3]int32, v int32) bool { return t[0] == v || t[1] == v || t[2] == v }
	of := func(v int32) []int32 { return n.fan[n.first[v]:n.first[v+1]] }
	for _, i := range of(b) {
		if !has(n.Tris[i], c) {
			continue
		}
		if has(n.Tris[i], a) {
			return true
		}
		for _, k := range of(b) {
			if has(n.Tris[k], a) {
				common := 0
				for _, v := range n.Tris[i] {
					if has(n.Tris[k], v) {
						common++
					}
				}
				if common == 2 {
					return true
				}
			}
		}
	}
	return false
}

// Path returns a shortest way along edges from a to b, both included; nil where there is none.
func (n *Net) Path(a, b int32) []int32 {
	best := n.spread([]geom.Step{{At: b}}, 1e18)
	if _, ok := best[a]; !ok {
		return nil
	}
	out := []int32{a}
	for at := a; at != b; {
		next, least := int32(-1), best[at]
		for _, k := range n.Near(at) {
			if d, ok := best[k]; ok && d < least {
				next, least = k, d
			}
		}
		if next < 0 {
			return nil
		}
		out = append(out, next)
		at = next
	}
	return out
}

// By returns the vertices of which a joint has a share from one value to another.
func (w *Weights) By(j int32, from, to float64) []int32 {
	var out []int32
	for v := range w.Of {
		if x := w.Value(v, j); x > 0 && x >= from && x <= to {
			out = append(out, int32(v))
		}
	}
	return out
}
