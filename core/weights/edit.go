package weights

import (
	"fmt"
	"math"
	"slices"
)

// Editor changes weights by hand: what one joint gets or loses the others give or take in their
// proportion, the weights of locked joints stay exactly as they are, vertices that are not open
// are not touched, and values are float32, so that a page and the server get the same. It holds a
// copy; lists of the original are never changed.
type Editor struct {
	Joints []string
	Of     [][]Influence
	Locked []bool // by joint of the weights
	Open   []bool // by vertex: it may change; nil is all
	Cap    int    // influences a vertex at most; 0 is any number
	// Heir is, by joint, who gets a share that no other joint of the vertex can take: the nearest
	// joint above that may have it, else below; -1 for none.
	Heir []int32

	from    [][]Influence // as they were
	brushed bool          // a brush is at work, whose joint comes in by degrees
	mix     *Mix
	touched []bool // was rounded
	changed []bool
}

// Edit begins to change weights. All lists are nil or as long as there are joints and vertices.
func Edit(w *Weights, locked, open []bool, most int) *Editor {
	if locked == nil {
		locked = make([]bool, len(w.Joints))
	}
	e := &Editor{
		Joints:  w.Joints,
		Of:      slices.Clone(w.Of),
		from:    w.Of,
		mix:     w.Mix,
		Locked:  locked,
		Open:    open,
		Cap:     most,
		touched: make([]bool, len(w.Of)),
		changed: make([]bool, len(w.Of)),
	}
	e.Heir = make([]int32, len(w.Joints))
	for i := range e.Heir {
		e.Heir[i] = -1
	}
	return e
}

// Weights returns what has become of the weights; vertices that were only read are as they were.
func (e *Editor) Weights() *Weights {
	out := &Weights{Joints: e.Joints, Of: slices.Clone(e.Of), Mix: e.mix}
	for v, yes := range e.changed {
		if !yes {
			out.Of[v] = e.from[v]
		}
	}
	return out
}

// Give gives a vertex influences whatever it had, and whatever is locked.
func (e *Editor) Give(v int32, list []Influence) {
	e.Of[v], e.touched[v], e.changed[v] = list, false, true
}

// Changed returns the vertices that were changed, ascending.
func (e *Editor) Changed() []int32 {
	var out []int32
	for v, yes := range e.changed {
		if yes {
			out = append(out, int32(v))
		}
	}
	return out
}

// open reports whether a vertex may change.
func (e *Editor) open(v int32) bool { return e.Open == nil || e.Open[v] }

// At returns the influences of a vertex as they are stored, rounded to float32.
func (e *Editor) At(v int32) []Influence {
	if !e.touched[v] {
		e.touched[v] = true
		e.Of[v] = single(e.Of[v])
	}
	return e.Of[v]
}

// single returns influences rounded to float32; the list itself where they are.
func single(list []Influence) []Influence {
	for i, x := range list {
		if float64(float32(x.Value)) != x.Value {
			out := slices.Clone(list)
			for k := i; k < len(out); k++ {
				out[k].Value = float64(float32(out[k].Value))
			}
			Sort(out)
			return out
		}
	}
	return list
}

// Single are weights as they are stored, rounded to float32; the weights themselves where they are.
func (w *Weights) Single() *Weights {
	out, same := &Weights{Joints: w.Joints, Of: make([][]Influence, len(w.Of)), Mix: w.Mix}, true
	for v, list := range w.Of {
		out.Of[v] = single(list)
		same = same && (len(list) == 0 || &out.Of[v][0] == &list[0])
	}
	if same {
		return w
	}
	return out
}

// Value returns the share of a joint in a vertex.
func (e *Editor) Value(v, j int32) float64 { return value(e.At(v), j) }

// least is below what share a joint has none: float32 cannot tell it from the rest of a sum.
const least = 1e-7

// put stores the influences of a vertex: free ones are scaled so that the sum is 1, and cut to the cap; locked
// ones, and that of the joint keep, stay as they are.
func (e *Editor) put(v int32, list []Influence, keep int32) {
	out := make([]Influence, 0, len(list))
	for _, x := range list {
		if x.Value > least {
			out = append(out, x)
		}
	}
	fixed := func(x Influence) bool { return e.Locked[x.Joint] || x.Joint == keep }
	Sort(out)
	out = e.cut(out, keep)
	held, free := 0.0, 0.0
	for _, x := range out {
		if fixed(x) {
			held += x.Value
		} else {
			free += x.Value
		}
	}
	if free == 0 && held < 1-least { // nothing is left that could take the rest
		for i := range out {
			if out[i].Joint == keep && !e.Locked[keep] {
				out[i].Value += 1 - held
				held = 1
			}
		}
		if held < 1-least {
			return // a vertex is never left without its whole weight
		}
	}
	for i, x := range out {
		if !fixed(x) {
			out[i].Value = x.Value * (1 - held) / free
		}
		out[i].Value = float64(float32(out[i].Value))
	}
	out = slices.DeleteFunc(out, func(x Influence) bool { return x.Value <= least })
	Sort(out)
	if !slices.Equal(out, e.At(v)) {
		e.Of[v] = out
		e.changed[v] = true
	}
}

// cut leaves a list, heaviest first, no more influences than the cap: of the free ones the lightest go, and the
// others lose what the heaviest of these had, as by fade, so that no weight ends at once where a brush or a
// smoothing does. Under a brush the joint keep, too, comes in by degrees: not at all until it outweighs the
// lightest, whole from twice that on. Where locked ones and keep leave a rest, one free joint stays to have it,
// cap or not.
func (e *Editor) cut(list []Influence, keep int32) []Influence {
	if e.Cap <= 0 || len(list) <= e.Cap {
		return list
	}
	free := func(x Influence) bool { return !e.Locked[x.Joint] && x.Joint != keep }
	goes := func(x Influence) bool { return free(x) || e.brushed && !e.Locked[x.Joint] }
	loose, spare := 0, 1 // one must stay, unless the one that is kept can take the rest
	for _, x := range list {
		switch {
		case goes(x):
			loose++
		case !e.Locked[x.Joint]:
			spare = 0
		}
	}
	gone := 0.0
	for ; len(list) > e.Cap && loose > spare; loose-- {
		at := len(list) - 1
		for !goes(list[at]) {
			at--
		}
		gone = list[at].Value
		list = slices.Delete(list, at, at+1)
	}
	first := slices.IndexFunc(list, free)
	if gone == 0 || first >= 0 && list[first].Value-gone <= least {
		return list
	}
	for i, x := range list {
		switch {
		case free(x):
			list[i].Value = x.Value - gone
		case x.Joint == keep && e.brushed && !e.Locked[keep]:
			u := max(0, min(1, x.Value/gone-1))
			list[i].Value = x.Value * (float64(u*u) * (3 - float64(2*u)))
		}
	}
	return slices.DeleteFunc(list, func(x Influence) bool { return x.Value <= least })
}

// room is how much of a vertex locked joints other than j leave.
func (e *Editor) room(v, j int32) float64 {
	out := 1.0
	for _, x := range e.At(v) {
		if e.Locked[x.Joint] && x.Joint != j {
			out -= x.Value
		}
	}
	return max(0, out)
}

// Set gives a joint a share in a vertex, as much as locked ones leave; the others share the rest
// in their proportion. Where they have nothing the rest goes to the heir of the joint, and where
// it has none the joint keeps all. It reports whether anything changed.
func (e *Editor) Set(v, j int32, value float64) bool {
	if e.Locked[j] || !e.open(v) {
		return false
	}
	room := e.room(v, j)
	value = min(room, max(0, value))
	var list []Influence
	free := 0.0
	for _, x := range e.At(v) {
		if x.Joint != j {
			list = append(list, x)
			if !e.Locked[x.Joint] {
				free += x.Value
			}
		}
	}
	if rest := room - value; free <= least && rest > least {
		if h := e.heir(j); h >= 0 {
			list = append(slices.DeleteFunc(list, func(x Influence) bool { return x.Joint == h }), Influence{h, rest})
		} else {
			value = room
		}
	}
	before := e.Of[v]
	e.put(v, append(list, Influence{j, float64(float32(value))}), j)
	return !slices.Equal(before, e.Of[v])
}

// heir is who takes what a joint gives up where nobody else is.
func (e *Editor) heir(j int32) int32 {
	for range len(e.Joints) {
		h := e.Heir[j]
		if h < 0 || !e.Locked[h] {
			return h
		}
		j = h
	}
	return -1
}

// Free takes joints away from a vertex: what they had is shared by the others in their
// proportion; where none remains, by those of the neighbours, else by the heir of the heaviest.
func (e *Editor) Free(v int32, gone []bool, net *Net) bool {
	if !e.open(v) {
		return false
	}
	var list []Influence
	free, taken := 0.0, 0.0
	heaviest := int32(-1)
	for _, x := range e.At(v) {
		switch {
		case e.Locked[x.Joint]:
			list = append(list, x)
		case gone[x.Joint]:
			taken += x.Value
			if heaviest < 0 {
				heaviest = x.Joint
			}
		default:
			list = append(list, x)
			free += x.Value
		}
	}
	if taken == 0 {
		return false
	}
	if free <= least {
		sum := e.mean(v, net, func(j int32) bool { return !gone[j] && !e.Locked[j] })
		if len(sum) == 0 {
			h := e.heir(heaviest)
			for n := 0; h >= 0 && gone[h] && n < len(e.Joints); n++ {
				h = e.heir(h)
			}
			if h < 0 || gone[h] {
				return false
			}
			sum = []Influence{{h, 1}}
		}
		list = append(list, sum...)
	}
	before := e.Of[v]
	e.put(v, list, -1)
	return !slices.Equal(before, e.Of[v])
}

// mean is the mean of the neighbours' influences, of joints that are asked for.
func (e *Editor) mean(v int32, net *Net, which func(j int32) bool) []Influence {
	if net == nil {
		return nil
	}
	var out []Influence
	n := 0
	for _, k := range net.Near(v) {
		list := e.At(k)
		if len(list) == 0 {
			continue
		}
		n++
		for _, x := range list {
			if which != nil && !which(x.Joint) {
				continue
			}
			if i := slices.IndexFunc(out, func(y Influence) bool { return y.Joint == x.Joint }); i >= 0 {
				out[i].Value += x.Value
			} else {
				out = append(out, x)
			}
		}
	}
	for i := range out {
		out[i].Value /= float64(n)
	}
	slices.SortFunc(out, func(a, b Influence) int { return int(a.Joint) - int(b.Joint) })
	return out
}

// Toward draws a vertex by a share to a list of influences; locked joints stay.
func (e *Editor) Toward(v int32, to []Influence, share float64) bool {
	if !e.open(v) || len(to) == 0 {
		return false
	}
	var list []Influence
	room, asked := 1.0, 0.0
	for _, x := range e.At(v) {
		if e.Locked[x.Joint] {
			room -= x.Value
			list = append(list, x)
		}
	}
	for _, x := range to {
		if !e.Locked[x.Joint] {
			asked += x.Value
		}
	}
	if room <= least || asked <= least {
		return false
	}
	add := func(j int32, value float64) {
		if i := slices.IndexFunc(list, func(y Influence) bool { return y.Joint == j }); i >= 0 {
			list[i].Value += value
		} else {
			list = append(list, Influence{j, value})
		}
	}
	own := 0.0
	for _, x := range e.At(v) {
		if !e.Locked[x.Joint] {
			own += x.Value
			add(x.Joint, float64((1-share)*x.Value))
		}
	}
	if own <= least { // it had nothing of its own to keep
		share = 1
	}
	for _, x := range to {
		if !e.Locked[x.Joint] {
			add(x.Joint, float64(share*x.Value)*(room/asked))
		}
	}
	before := e.Of[v]
	e.put(v, list, -1)
	return !slices.Equal(before, e.Of[v])
}

// Replace gives a vertex a list of influences; locked joints stay. A list that sums to 1 and that
// no lock stands against is taken as it is, so that what was written comes back exactly.
func (e *Editor) Replace(v int32, list []Influence) bool {
	sum, locked := 0.0, false
	for _, x := range list {
		sum += x.Value
		locked = locked || e.Locked[x.Joint]
	}
	for _, x := range e.At(v) {
		locked = locked || e.Locked[x.Joint]
	}
	if locked || math.Abs(sum-1) > 1e-6 || e.Cap > 0 && len(list) > e.Cap || !e.open(v) {
		return e.Toward(v, list, 1)
	}
	out := single(slices.Clone(list))
	Sort(out)
	if slices.Equal(out, e.Of[v]) {
		return false
	}
	e.Of[v] = out
	e.changed[v] = true
	return true
}

// CheckLocks reports joints that are locked so that nothing of them may be changed.
func (e *Editor) CheckLocks(joints ...int32) error {
	for _, j := range joints {
		if e.Locked[j] {
			return fmt.Errorf("the weights of %s are locked: unlock them first", e.Joints[j])
		}
	}
	return nil
}
