package fit

import (
	"cmp"
	"context"
	"errors"
	"math"
	"slices"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/progress"
	"wisemarrow/core/wording"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// fitCells is how many voxels the height is divided into.
const fitCells = 120

// ErrNoBody means that the mesh encloses nothing that a skeleton could fit.
var ErrNoBody = errors.New(
	"the mesh has no volume to fit a skeleton into: flip its faces outward and close large holes at Intake, or place the joints by hand",
)

// biped places the landmarks of the biped inside a standing two-legged mesh, Y
// up, in any pose from arms out to arms down. It reads the volume (voxels by
// winding number), its middle plane, the ends of the limbs along the inside
// (geodesic extremities), and cross-sections of limbs and neck; where a feature
// does not show, segment proportions decide (Drillis & Contini 1966). The order
// of discretising, embedding and refining follows Baran & Popović 2007.
func biped(ctx context.Context, m *mesh.Mesh, shown Shown, progress progress.Func) (*fitter, error) {
	progress("Filling the volume", 0.05)
	f, err := newFitterOf(m, shown, shown.turn(), filling{tall: lying(m)})
	if err != nil {
		return nil, err
	}
	if f.bodies > 1 {
		return nil, errSeveral(f.bodies)
	}
	if without, thick := f.withoutPlinth(m); thick > 0 {
		m = without
		if f, err = newFitterOf(m, shown, shown.turn(), filling{tall: lying(m)}); err != nil {
			return nil, err
		}
		f.notes = append(f.notes, plinthNote(thick))
	}
	f, known := f.clearer()
	if !f.plainlyUpright() {
		progress("Telling head, hands and feet", 0.3)
		posed := false
		if f, posed, err = f.ownFrame(m, shown, known); posed || err != nil {
			return f, err
		}
	}
	switch {
	case f.faced:
	case f.reading != nil && f.match < mirrorMatch && f.reading.votes > 2*fewVotes: // a flat body is alike before and behind
		if n := f.reading.quartersToFront(); n > 0 {
			f.quarters(n)
		}
	case f.symmetryAcross(true) > f.symmetryAcross(false)+0.05:
		f.quarters(1)
	}
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	progress("Finding limbs", 0.5)
	if stance := f.stance(); stance != "" && f.reading == nil { // what is deep may be a train, or wings
		if !shown.posed() {
			return nil, f.notStanding(stance)
		}
		f.betweenShown()
		return f, nil
	}
	f.slices()
	if !f.faced && f.looksBack() {
		f.quarters(2)
		f.slices()
	}
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	if err := f.armsWithoutProps(); err != nil {
		return nil, err
	}
	f.legs()
	progress("Placing joints", 0.9)
	f.trunk()
	f.hiddenFeet()
	f.doubtAll()
	return f, f.incomplete()
}

// lying returns how long a body is that is less than half as high, 0 for others: it stands on another axis or lies.
func lying(m *mesh.Mesh) float64 {
	size := geom.BoxOf(m.World()).Size()
	if long := max(size.X, size.Z); size.Y < 0.5*long {
		return long
	}
	return 0
}

// quarters turns the frame of the fit by so many quarter turns about Y; the
// cubes turn with it, so that the volume need not be filled again.
func (f *fitter) quarters(n int) {
	for range n {
		v := f.vox
		w := &geom.Voxels{Cell: v.Cell, NX: v.NZ, NY: v.NY, NZ: v.NX, Inside: make([]bool, len(v.Inside)),
			Origin: r3.Vec{X: v.Origin.Z, Y: v.Origin.Y, Z: -(v.Origin.X + float64(v.NX-1)*v.Cell)}}
		for i, in := range v.Inside {
			if in {
				x, y, z := v.Coords(i)
				w.Inside[w.Index(z, y, v.NX-1-x)] = true
			}
		}
		f.vox = w
	}
	turn := geom.AxisAngle(r3.Vec{Y: 1}, float64(n)*math.Pi/2)
	f.back = geom.Normalise(quat.Mul(f.back, quat.Conj(turn)))
	for name, p := range f.given {
		f.given[name] = geom.Rotate(turn, p)
	}
	if f.reading != nil {
		c := f.reading.turned(turn)
		f.reading = &c
	}
	f.findPlane()
}

type body struct {
	tris [][3]int32
	left int
}

// filling is how a body is filled.
type filling struct {
	tall float64 // how tall it is when it stands, metres; 0 for as high as it is here
	// paired leaves out what is neither paired nor in the middle even if it is tall: a body may be of several pieces, but
	// a staff is one too. all keeps everything.
	paired, all bool
	apart       bool // limbs that touch are cut apart
}

// bodyPoints returns the world points and the triangles of the pieces that
// belong to the body: the largest, those across the middle, and those with a
// counterpart on the other side, or one that is as large wherever it is: the second
// hand of a body in a pose. A lantern in one hand is none of them.
func bodyPoints(m *mesh.Mesh, how filling) ([]r3.Vec, body) {
	points, pieces := m.World(), m.Pieces()
	boxes := pieces.Boxes(points)
	main := boxes[pieces.Largest()]
	mid, size := main.Centre(), main.Size()
	mid.X = middleX(m, points, pieces)
	tall := cmp.Or(how.tall, size.Y)
	keep := make([]bool, len(boxes))
	out := body{}
	// What is held may move the middle; a pair is alike in height, depth and size.
	across := r3.Vec{X: 0.12 * tall, Y: 0.04 * tall, Z: 0.04 * tall}
	cell := func(p r3.Vec) [3]int { // so wide that a partner is in a cell beside the mirrored one's
		return [3]int{int(math.Floor(p.X / across.X)), int(math.Floor(p.Y / across.Y)), int(math.Floor(p.Z / across.Z))}
	}
	in := map[[3]int][]int{}
	for i, b := range boxes {
		at := cell(r3.Sub(b.Centre(), mid))
		in[at] = append(in[at], i)
	}
	paired := func(i int) bool {
		c := r3.Sub(boxes[i].Centre(), mid)
		c.X = -c.X
		at, d := cell(c), boxes[i].Diagonal()
		for n := range 27 {
			for _, k := range in[[3]int{at[0] + n%3 - 1, at[1] + n/3%3 - 1, at[2] + n/9 - 1}] {
				o := r3.Sub(r3.Sub(boxes[k].Centre(), mid), c)
				if k != i && math.Abs(o.X) < across.X && math.Abs(o.Y) < across.Y && math.Abs(o.Z) < across.Z &&
					math.Abs(boxes[k].Diagonal()-d) < 0.2*d {
					return true
				}
			}
		}
		return false
	}
	twins := alike(m, points, pieces)
	for i, b := range boxes {
		c, s := r3.Sub(b.Centre(), mid), b.Size()
		keep[i] = how.all || twins[i] || math.Abs(c.X) < 0.03*tall || math.Abs(c.X) < 0.25*s.X ||
			!how.paired && b.Size().Y > 0.3*tall || paired(i)
		if !keep[i] {
			out.left++
		}
	}
	tris, _ := m.Triangles()
	for _, t := range tris {
		if keep[pieces.OfVertex[t[0]]] {
			out.tris = append(out.tris, t)
		}
	}
	return points, out
}

// alike reports for each piece whether there is one other of as many vertices and nearly the same area.
func alike(m *mesh.Mesh, points []r3.Vec, pieces mesh.Pieces) []bool {
	area, vertices := make([]float64, len(pieces.Faces)), pieces.Vertices
	tris, _ := m.Triangles()
	for _, t := range tris {
		area[pieces.OfVertex[t[0]]] += r3.Norm(r3.Cross(r3.Sub(points[t[1]], points[t[0]]), r3.Sub(points[t[2]], points[t[0]]))) / 2
	}
	order := make([]int, len(area))
	for i := range order {
		order[i] = i
	}
	slices.SortFunc(order, func(a, b int) int { return cmp.Or(cmp.Compare(area[a], area[b]), cmp.Compare(a, b)) })
	near := func(a, b int) bool {
		return math.Abs(area[a]-area[b]) < 0.03*area[b] && math.Abs(float64(vertices[a]-vertices[b])) < 0.06*float64(vertices[b])
	}
	out := make([]bool, len(area))
	for k := 1; k < len(order); k++ {
		a, b := order[k-1], order[k]
		if near(a, b) && (k < 2 || !near(order[k-2], b)) && (k+1 == len(order) || !near(order[k+1], a)) { // a row of buttons is no pair
			out[a], out[b] = true, true
		}
	}
	return out
}

// middleX returns X of the middle of the largest piece, with as much of its area to the
// left as to the right, so that a rod in one hand does not move it far.
func middleX(m *mesh.Mesh, points []r3.Vec, pieces mesh.Pieces) float64 {
	largest := int32(pieces.Largest())
	type slab struct{ x, area float64 }
	var list []slab
	total := 0.0
	tris, _ := m.Triangles()
	for _, t := range tris {
		if pieces.OfVertex[t[0]] == largest {
			a, b, c := points[t[0]], points[t[1]], points[t[2]]
			s := slab{(a.X + b.X + c.X) / 3, r3.Norm(r3.Cross(r3.Sub(b, a), r3.Sub(c, a)))}
			list = append(list, s)
			total += s.area
		}
	}
	slices.SortStableFunc(list, func(a, b slab) int { return cmp.Compare(a.x, b.x) })
	// From both sides, so that few large faces have their middle between them too.
	half := func(list []slab) float64 {
		sum := 0.0
		for _, s := range list {
			if sum += s.area; sum > total*(0.5-1e-9) {
				return s.x
			}
		}
		return 0
	}
	left := half(list)
	slices.Reverse(list)
	return (left + half(list)) / 2
}

// fitter works in a frame where the character faces +Z and its left is +X.
type fitter struct {
	solid     *geom.Tree // in world frame
	vox       *geom.Voxels
	floor     float64
	height    float64
	body      float64   // of a biped: its height as its shoulders tell, without a hat or a large head
	armLength float64   // of a biped: from shoulder to tip, mean of those that show, or 0
	armCount  int       // how many show
	plane     float64   // X of the middle
	along     []float64 // of a walking animal: X of the middle at each Z, see midX
	match     float64   // share of voxels with a mirror image
	longest   float64   // of the sides of the box around the volume, 0 until it is asked
	layers    []layer
	crotch    float64        // Y above the floor, 0 if the legs do not part
	apart     bool           // limbs that touch were cut apart
	cut       func() *fitter // returns the same with these cut apart; nil where none touch
	high      [2]bool        // what is like an arm begins where a head should be
	joints    map[string]placed
	tips      map[string]r3.Vec
	given     map[string]r3.Vec // that a person has shown
	begin     map[string]r3.Vec // where each limb begins
	back      quat.Number       // from this frame to the world
	stands    [2][2]foot        // of an animal: fore and hind, left and right
	fore      int               // of an animal: the cubes at the ends of head and tail
	aft       int
	props     int
	bodies    int       // that stand side by side in the file
	reading   *carriage // of a biped: how it is carried, nil where it was not read or is not clear
	faced     bool      // it is known where it looks
	notes     []string
}

type placed struct {
	at         r3.Vec
	confidence float64
	reason     string
	fine       bool // found in finer cubes than the body's
}

// layer is a level slice of the voxels.
type layer struct {
	area   float64 // of the part that holds the middle, m²
	centre r3.Vec  // of that part
	side   [2]struct {
		area   float64 // left, right of the middle, below the crotch only
		centre r3.Vec
	}
}

// newFitter fills the volume of the body of a mesh, in the frame that turn takes
// the world to.
func newFitter(m *mesh.Mesh, shown Shown, turn quat.Number) (*fitter, error) {
	return newFitterOf(m, shown, turn, filling{})
}

// newFitterOf is newFitter of a body of which more is known.
func newFitterOf(m *mesh.Mesh, shown Shown, turn quat.Number, how filling) (*fitter, error) {
	m, turned := m.MakeOutward() // a flipped patch would turn inside out about it
	how.all = shown.posed()
	points, props := bodyPoints(m, how)
	f, err := fillBody(points, props.tris, shown, cubes(points, props.tris), turn, how.tall)
	if err != nil {
		return nil, err
	}
	apart := func() *fitter {
		g, vox := *f, *f.vox
		vox.Inside = slices.Clone(vox.Inside)
		g.vox, g.apart = &vox, true
		if !g.cutContacts(points, props.tris, m.Pieces()) {
			return nil
		}
		g.findPlane()
		return &g
	}
	if how.apart {
		if g := apart(); g != nil {
			f = g
		}
	}
	f.cut = apart
	f.findPlane()
	if turned > 0 {
		f.notes = append(
			f.notes,
			wording.Count(
				turned,
				"face points inward and was flipped for the fit only",
				"faces point inward and were flipped for the fit only",
			),
		)
	}
	f.props = props.left
	if props.left > 0 {
		f.notes = append(
			f.notes,
			wording.Count(
				props.left,
				"one-sided piece was taken for a prop and left out",
				"one-sided pieces were taken for props and left out",
			),
		)
	}
	return f, nil
}

const (
	mostCubes  = 2.5e6 // in the block around a body
	mostInside = 6e5   // of them within it: a compact body, which has no thin limbs to lose, is filled more coarsely
)

// cubes returns into how many cubes the block around a body is to be divided.
func cubes(points []r3.Vec, tris [][3]int32) float64 {
	box := geom.EmptyBox()
	volume := 0.0
	for _, t := range tris {
		for _, v := range t {
			box = box.Add(points[v])
		}
	}
	mid := box.Centre()
	for _, t := range tris {
		a, b, c := r3.Sub(points[t[0]], mid), r3.Sub(points[t[1]], mid), r3.Sub(points[t[2]], mid)
		volume += r3.Dot(a, r3.Cross(b, c)) / 6
	}
	size := box.Size()
	share := math.Abs(volume) / max(1e-300, size.X*size.Y*size.Z)
	return min(mostCubes, mostInside/max(share, 1e-9))
}

// fillBody fills the volume of the given triangles with about mostCubes cubes at
// the most, fitCells along how tall the body is, 0 for as high as it is here.
func fillBody(points []r3.Vec, tris [][3]int32, shown Shown, mostCubes float64, turn quat.Number, tall float64) (*fitter, error) {
	solid := geom.NewTree(points, tris)
	turned := solid
	if turn != geom.Identity {
		points = slices.Clone(points)
		for i := range points {
			points[i] = geom.Rotate(turn, points[i])
		}
		turned = geom.NewTree(points, tris)
	}
	box := geom.EmptyBox()
	for _, t := range tris {
		for _, v := range t {
			box = box.Add(points[v])
		}
	}
	size := box.Size()
	if box.Empty() || size.Y <= 0 {
		return nil, ErrNoBody
	}
	// A wide mesh gets larger cubes, so that their number stays bounded.
	cell := math.Max(cmp.Or(tall, size.Y)/fitCells, math.Cbrt(size.X*size.Y*size.Z/mostCubes))
	f := &fitter{
		solid:  solid,
		faced:  shown.Facing != "",
		vox:    geom.Voxelise(turned, cell),
		back:   quat.Conj(turn),
		joints: map[string]placed{},
		tips:   map[string]r3.Vec{},
		begin:  map[string]r3.Vec{},
		given:  map[string]r3.Vec{},
	}
	for name, p := range shown.Places {
		f.given[name] = geom.Rotate(turn, p)
	}
	if !f.keepLargest() {
		return nil, ErrNoBody
	}
	return f, nil
}

// keepLargest drops all inside cubes but the largest connected set and takes
// floor and height from it.
func (f *fitter) keepLargest() bool {
	list, largest := f.lumps()
	if len(list) == 0 || len(list[largest].cubes) < 200 {
		return false
	}
	f.bodies = countBodies(list, largest)
	clear(f.vox.Inside)
	for _, i := range list[largest].cubes {
		f.vox.Inside[i] = true
	}
	f.floor, f.height = list[largest].box.Min.Y, list[largest].box.Size().Y
	return true
}

// symmetryAcross returns the best share of inside cubes that have a mirror
// image across a plane square to X, or to Z.
func (f *fitter) symmetryAcross(z bool) float64 {
	best, _ := f.bestPlane(z)
	return best
}

// planeCubes bounds the cubes whose mirror images bestPlane looks for; of more,
// it takes every so many.
const planeCubes = 100_000

func (f *fitter) bestPlane(z bool) (share float64, twice int) {
	v := f.vox
	var cubes []int
	sum := 0
	for i, in := range v.Inside {
		if in {
			cubes = append(cubes, i)
			x, _, zz := v.Coords(i)
			if z {
				x = zz
			}
			sum += x
		}
	}
	middle := 2 * sum / len(cubes)
	step := 1 + len(cubes)/planeCubes
	for t := middle - v.NX/8; t <= middle+v.NX/8; t++ {
		hit, n := 0, 0
		for c := 0; c < len(cubes); c += step {
			n++
			x, y, zz := v.Coords(cubes[c])
			if z {
				if k := t - zz; k >= 0 && k < v.NZ && v.Inside[v.Index(x, y, k)] {
					hit++
				}
			} else if k := t - x; k >= 0 && k < v.NX && v.Inside[v.Index(k, y, zz)] {
				hit++
			}
		}
		if s := float64(hit) / float64(n); s > share {
			share, twice = s, t
		}
	}
	return share, twice
}

func (f *fitter) findPlane() {
	share, twice := f.bestPlane(false)
	f.match = share
	f.plane = f.vox.Origin.X + float64(twice)/2*f.vox.Cell
	f.shownPlane()
}

// shownPlane takes the middle plane from a person, if one has shown it.
func (f *fitter) shownPlane() {
	if q, ok := f.given[MiddlePlane]; ok {
		f.plane = q.X
	}
}

// begins returns the number of the section of a line nearest to where a person has
// shown that a limb leaves the trunk.
func (f *fitter) begins(limb string, line []station) (k int, ok bool) {
	q, ok := f.given["begin "+limb]
	best := math.Inf(1)
	for i, s := range line {
		if d := r3.Norm2(r3.Sub(s.at, q)); d < best {
			k, best = i, d
		}
	}
	return k, ok && len(line) > 0
}

// y returns the world Y at a share of the height.
func (f *fitter) y(share float64) float64 { return f.floor + share*f.height }

// layerAt returns the slice at a Y.
func (f *fitter) layerAt(y float64) *layer {
	k := int(math.Round((y - f.vox.Origin.Y) / f.vox.Cell))
	return &f.layers[max(0, min(len(f.layers)-1, k))]
}

func (f *fitter) put(name string, at r3.Vec, confidence float64, reason string) {
	f.joints[name] = placed{at: at, confidence: confidence, reason: reason}
}

// drawIn returns p if it is inside, with a cube to spare unless it is an end
// joint, else the middle of the nearest cube that is; inside is false where that
// moved it far.
func (f *fitter) drawIn(p r3.Vec, end bool) (at r3.Vec, inside bool) {
	v := f.vox
	deep := func(i int) bool {
		if i < 0 || !v.Inside[i] {
			return false
		}
		n := 0
		v.Around(i, func(k int) {
			if v.Inside[k] {
				n++
			}
		})
		return n == 6 || end
	}
	if deep(v.At(p)) && f.solid.Winding(geom.Rotate(f.back, p)) > 0.5 {
		return p, true
	}
	best := math.Inf(1)
	for i, c := range v.Filled() {
		if p.X == f.plane { // a centre joint stays between the sides
			if math.Abs(c.X-p.X) > 0.6*v.Cell {
				continue
			}
			c.X = p.X
		}
		if d := r3.Norm2(r3.Sub(c, p)); d < best && deep(i) {
			best, at = d, c
		}
	}
	return at, math.Sqrt(best) < 0.025*f.height
}
