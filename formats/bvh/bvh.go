package bvh

import (
	"bufio"
	"bytes"
	"fmt"
	"io"
	"math"
	"strconv"
	"strings"

	"wisemarrow/core/geom"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/formats/reading"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// File is what a BVH file holds. Places are in the file's unit.
type File struct {
	Skeleton *skeleton.Skeleton
	Clip     *pose.Clip // nil without frames
}

// maxFrames and maxTurns, of all joints in all frames, bound a motion; maxDepth is how
// many joints may hang one under another.
const (
	maxDepth  = 500
	maxFrames = 200_000
	maxTurns  = 4_000_000
)

// node is a joint with its channels in the order of the file.
type node struct {
	joint    int
	channels []string
}

// Decode reads a BVH file. End sites become joints called NAME_end. Joint axes at
// rest are those of the world. Errors are *reading.Error with the line.
func Decode(r io.Reader, l reading.Limits) (*File, error) {
	l = l.Full()
	data, err := reading.All(r, l)
	if err != nil {
		return nil, err
	}
	if data, err = reading.Text(data); err != nil {
		return nil, err
	}
	d := decoder{limits: l, words: newWords(data), s: &skeleton.Skeleton{}, names: reading.Names{}}
	if w := d.next(); !strings.EqualFold(w, "HIERARCHY") {
		return nil, d.fail("a BVH file starts with the word HIERARCHY, not %q", w)
	}
	for {
		w := d.next()
		if strings.EqualFold(w, "MOTION") {
			break
		}
		if !strings.EqualFold(w, "ROOT") {
			return nil, d.fail("expected ROOT or MOTION, found %q", w)
		}
		if err := d.joint(-1, 0); err != nil {
			return nil, err
		}
	}
	if len(d.s.Joints) == 0 {
		return nil, d.fail("there is no joint")
	}
	clip, err := d.motion()
	if err != nil {
		return nil, err
	}
	if err := d.s.Validate(); err != nil {
		return nil, reading.At("hierarchy", "%v", err)
	}
	return &File{d.s, clip}, nil
}

// words gives the words of a text with their lines.
type words struct {
	scan *bufio.Scanner
	line int
	rest []string
}

func newWords(data []byte) *words {
	s := bufio.NewScanner(bytes.NewReader(data))
	s.Buffer(nil, len(data)+1)
	return &words{scan: s}
}

func (w *words) next() string {
	for len(w.rest) == 0 {
		if !w.scan.Scan() {
			return ""
		}
		w.line++
		w.rest = strings.Fields(w.scan.Text())
	}
	out := w.rest[0]
	w.rest = w.rest[1:]
	return out
}

type decoder struct {
	*words
	limits reading.Limits
	s      *skeleton.Skeleton
	nodes  []node
	names  reading.Names
}

func (d *decoder) fail(format string, args ...any) error {
	return reading.Line(d.line, format, args...)
}

func (d *decoder) number() (float64, error) {
	w := d.next()
	v, err := strconv.ParseFloat(w, 64)
	if err != nil || math.IsNaN(v) || math.IsInf(v, 0) {
		if w == "" {
			return 0, d.fail("the file ends where a number is expected")
		}
		return 0, d.fail("%q is not a number", w)
	}
	return v, nil
}

func (d *decoder) expect(word string) error {
	if w := d.next(); w != word {
		if w == "" {
			return d.fail("the file ends where %q is due", word)
		}
		return d.fail("%q where %q is due", w, word)
	}
	return nil
}

func (d *decoder) offset() (r3.Vec, error) {
	if w := d.next(); !strings.EqualFold(w, "OFFSET") {
		return r3.Vec{}, d.fail("%q where OFFSET is due", w)
	}
	var v [3]float64
	for i := range v {
		x, err := d.number()
		if err != nil {
			return r3.Vec{}, err
		}
		v[i] = x
	}
	return r3.Vec{X: v[0], Y: v[1], Z: v[2]}, nil
}

func (d *decoder) add(name string, parent int, off r3.Vec) (int, error) {
	if len(d.s.Joints) >= d.limits.Joints {
		return 0, fmt.Errorf("%w: it has more than %d joints", reading.ErrTooLarge, d.limits.Joints)
	}
	name = d.names.Own(name)
	if parent >= 0 {
		off = r3.Add(off, d.s.Joints[parent].Pos)
	}
	d.s.Joints = append(d.s.Joints, skeleton.Joint{Name: name, Parent: parent, Pos: off, Rot: geom.Identity})
	return len(d.s.Joints) - 1, nil
}

// joint reads what follows ROOT or JOINT.
func (d *decoder) joint(parent, depth int) error {
	name := d.next()
	if name == "{" || name == "" {
		return d.fail("a joint has no name")
	}
	for len(d.rest) > 0 && d.rest[0] != "{" { // names with spaces
		name += "_" + d.next()
	}
	if err := d.expect("{"); err != nil {
		return err
	}
	if depth > maxDepth {
		return d.fail("more than %d joints one under another", maxDepth)
	}
	off, err := d.offset()
	if err != nil {
		return err
	}
	at, err := d.add(name, parent, off)
	if err != nil {
		return err
	}
	for {
		switch w := d.next(); strings.ToUpper(w) {
		case "CHANNELS":
			n, err := d.number()
			if err != nil {
				return err
			}
			if n < 0 || n > 6 || n != math.Trunc(n) {
				return d.fail("%g channels where 0 to 6 are possible", n)
			}
			x := node{joint: at}
			for range int(n) {
				c := strings.ToLower(d.next())
				if !(strings.HasSuffix(c, "position") || strings.HasSuffix(c, "rotation")) || len(c) != 9 || c[0] < 'x' || c[0] > 'z' {
					return d.fail("%q is not a channel", c)
				}
				x.channels = append(x.channels, c)
			}
			if len(x.channels) > 0 { // so a frame is never larger than its line
				d.nodes = append(d.nodes, x)
			}
		case "JOINT":
			if err := d.joint(at, depth+1); err != nil {
				return err
			}
		case "END":
			if w := d.next(); !strings.EqualFold(w, "Site") {
				return d.fail("%q where Site is due", w)
			}
			if err := d.expect("{"); err != nil {
				return err
			}
			off, err := d.offset()
			if err != nil {
				return err
			}
			if _, err := d.add(name+"_end", at, off); err != nil {
				return err
			}
			if err := d.expect("}"); err != nil {
				return err
			}
		case "}":
			return nil
		case "":
			return d.fail("the file ends within joint %s", name)
		default:
			return d.fail("%q within joint %s", w, name)
		}
	}
}

func (d *decoder) motion() (*pose.Clip, error) {
	if err := d.expect("Frames:"); err != nil {
		return nil, err
	}
	n, err := d.number()
	if err != nil {
		return nil, err
	}
	if n < 0 || n > maxFrames || n != math.Trunc(n) {
		return nil, d.fail("%g frames where 0 to %d are possible", n, maxFrames)
	}
	if n*float64(len(d.nodes)) > maxTurns {
		return nil, d.fail(
			"%g frames × %d joints exceed %d rotations: shorten the motion or use every second frame",
			n,
			len(d.nodes),
			maxTurns,
		)
	}
	if err := d.expect("Frame"); err != nil {
		return nil, err
	}
	if err := d.expect("Time:"); err != nil {
		return nil, err
	}
	step, err := d.number()
	if err != nil {
		return nil, err
	}
	if n == 0 || len(d.nodes) == 0 {
		return nil, nil
	}
	c := &pose.Clip{Name: "motion", Step: step}
	for _, x := range d.nodes {
		c.Joints = append(c.Joints, d.s.Joints[x.joint].Name)
	}
	rest := d.s.Joints[0].Pos
	for range int(n) {
		turns := make([]quat.Number, len(d.nodes))
		var root r3.Vec
		for k, x := range d.nodes {
			turns[k] = geom.Identity
			for _, ch := range x.channels {
				v, err := d.number()
				if err != nil {
					return nil, err
				}
				axis := map[byte]r3.Vec{'x': {X: 1}, 'y': {Y: 1}, 'z': {Z: 1}}[ch[0]]
				if ch[1:] == "rotation" { // each about the axes that those before have turned
					turns[k] = quat.Mul(turns[k], geom.AxisAngle(axis, v*math.Pi/180))
				} else if x.joint == 0 {
					root = r3.Add(root, r3.Scale(v, axis))
				}
			}
			turns[k] = geom.Normalise(turns[k])
		}
		// Root channels are places, not moves from rest, as files are written.
		if d.nodes[0].joint == 0 && hasPosition(d.nodes[0]) {
			root = r3.Sub(root, rest)
		}
		c.Root = append(c.Root, root)
		c.Turns = append(c.Turns, turns)
	}
	if err := c.Validate(); err != nil {
		return nil, reading.At("motion", "%v", err)
	}
	return c, nil
}

// hasPosition tells whether a joint has a place in every frame.
func hasPosition(x node) bool {
	for _, c := range x.channels {
		if strings.HasSuffix(c, "position") {
			return true
		}
	}
	return false
}

// Encode writes a skeleton at rest, and a clip of it if there is one. Joints whose
// name ends in _end and that end a chain become end sites. Turns of the clip are
// about the joints' own axes at rest; they are written about the world's.
func Encode(w io.Writer, s *skeleton.Skeleton, c *pose.Clip) error {
	if err := s.Validate(); err != nil {
		return err
	}
	b := bufio.NewWriter(w)
	children := s.Hanging()
	end := func(i int) bool { return len(children[i]) == 0 && s.Joints[i].Parent >= 0 && s.Joints[i].Helper == nil }
	var order []int
	fmt.Fprintln(b, "HIERARCHY")
	var write func(i int, indent string)
	write = func(i int, indent string) {
		j := s.Joints[i]
		off, word := j.Pos, "ROOT "+j.Name
		if j.Parent >= 0 {
			off = r3.Sub(j.Pos, s.Joints[j.Parent].Pos)
			word = "JOINT " + j.Name
		}
		if end(i) {
			word = "End Site"
		}
		fmt.Fprintf(b, "%s%s\n%s{\n%s\tOFFSET %.9g %.9g %.9g\n", indent, word, indent, indent, off.X, off.Y, off.Z)
		if !end(i) {
			order = append(order, i)
			if j.Parent < 0 {
				fmt.Fprintf(b, "%s\tCHANNELS 6 Xposition Yposition Zposition Zrotation Xrotation Yrotation\n", indent)
			} else {
				fmt.Fprintf(b, "%s\tCHANNELS 3 Zrotation Xrotation Yrotation\n", indent)
			}
		}
		for _, k := range children[i] {
			write(k, indent+"\t")
		}
		fmt.Fprintf(b, "%s}\n", indent)
	}
	for i, j := range s.Joints {
		if j.Parent < 0 {
			write(i, "")
		}
	}
	frames, step := 0, 1.0/30
	number := map[string]int{}
	if c != nil {
		frames, step = c.Frames(), c.Step
		for i, n := range c.Joints {
			number[n] = i
		}
	}
	fmt.Fprintf(b, "MOTION\nFrames: %d\nFrame Time: %.9g\n", frames, step)
	for f := range frames {
		for _, i := range order {
			j := s.Joints[i]
			turn := geom.Identity
			if k, ok := number[j.Name]; ok {
				turn = geom.Normalise(c.Turns[f][k]) // BVH keeps lengths
			}
			turn = quat.Mul(j.Rot, quat.Mul(turn, quat.Conj(j.Rot)))
			if j.Parent < 0 {
				p := r3.Add(j.Pos, c.Root[f])
				fmt.Fprintf(b, "%.9g %.9g %.9g ", p.X, p.Y, p.Z)
			}
			z, x, y := zxy(turn)
			fmt.Fprintf(b, "%.9g %.9g %.9g ", z, x, y)
		}
		fmt.Fprintln(b)
	}
	return b.Flush()
}

// zxy takes a turn apart into degrees about Z, then the turned X, then the turned
// Y.
func zxy(q quat.Number) (z, x, y float64) {
	ax, ay, az := geom.Rotate(q, r3.Vec{X: 1}), geom.Rotate(q, r3.Vec{Y: 1}), geom.Rotate(q, r3.Vec{Z: 1})
	deg := 180 / math.Pi
	sx := math.Max(-1, math.Min(1, ay.Z))
	x = math.Asin(sx)
	if math.Abs(sx) > 1-1e-12 { // Z and Y turn about one line
		return math.Atan2(ax.Y, ax.X) * deg, x * deg, 0
	}
	return math.Atan2(-ay.X, ay.Y) * deg, x * deg, math.Atan2(-ax.Z, az.Z) * deg
}
