package weightfile

import (
	"bufio"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"strconv"
	"strings"

	"wisemarrow/core/geom"
	"wisemarrow/core/weights"
	"wisemarrow/formats/reading"

	"gonum.org/v1/gonum/spatial/r3"
)

// Schema names the JSON that is written.
const Schema = "skin-weights/1"

// Table is what a file holds: the shares of some vertices, each by its number or its place.
type Table struct {
	Joints []string
	Vertex []int32  // numbers, where the file has them; else nil
	Place  []r3.Vec // world metres at rest, where the file has them; else nil
	Of     [][]weights.Influence
}

func number(x float64) string { return strconv.FormatFloat(x, 'g', -1, 32) }

// formula are the beginnings of cells that a spreadsheet takes for a formula and runs.
const formula = "=+-@\t\r"

// cell is a name as a table has it: one that a spreadsheet would run is quoted, and named takes the quote off.
func cell(name string) string {
	if name != "" && strings.ContainsRune(formula+"'", rune(name[0])) {
		return "'" + name
	}
	return name
}

func named(cell string) string { return strings.TrimPrefix(cell, "'") }

// EncodeCSV writes a row for each vertex and joint: vertex, joint, weight; with places their x, y
// and z after the vertex.
func EncodeCSV(w io.Writer, s *weights.Weights, places []r3.Vec) error {
	out := bufio.NewWriter(w)
	c := csv.NewWriter(out)
	head := []string{"vertex", "joint", "weight"}
	if places != nil {
		head = []string{"vertex", "x", "y", "z", "joint", "weight"}
	}
	if err := c.Write(head); err != nil {
		return err
	}
	row := make([]string, 0, 6)
	for v, list := range s.Of {
		for _, x := range list {
			row = append(row[:0], strconv.Itoa(v))
			if places != nil {
				row = append(row, number(places[v].X), number(places[v].Y), number(places[v].Z))
			}
			if err := c.Write(append(row, cell(s.Joints[x.Joint]), number(x.Value))); err != nil {
				return err
			}
		}
	}
	c.Flush()
	if err := c.Error(); err != nil {
		return err
	}
	return out.Flush()
}

// file is a table as JSON has it.
type file struct {
	Schema   string   `json:"schema"`
	Unit     string   `json:"unit,omitempty"` // of places: "m"
	Joints   []string `json:"joints"`
	Vertices []row    `json:"vertices"`
}

type row struct {
	Vertex  *int32       `json:"vertex,omitempty"`
	Place   *[3]float64  `json:"position,omitempty"`
	Weights [][2]float64 `json:"weights"` // number of the joint, share
}

// EncodeJSON writes the shares of every vertex that has any, with places where they are given.
func EncodeJSON(w io.Writer, s *weights.Weights, places []r3.Vec) error {
	out := bufio.NewWriter(w)
	names, err := json.Marshal(s.Joints)
	if err != nil {
		return err
	}
	unit := ""
	if places != nil {
		unit = ` "unit": "m",`
	}
	fmt.Fprintf(out, "{\"schema\": %q,%s\n \"joints\": %s,\n \"vertices\": [", Schema, unit, names)
	first := true
	for v, list := range s.Of {
		if len(list) == 0 {
			continue
		}
		if !first {
			out.WriteByte(',')
		}
		first = false
		fmt.Fprintf(out, "\n  {\"vertex\": %d, ", v)
		if places != nil {
			fmt.Fprintf(out, "\"position\": [%s, %s, %s], ", number(places[v].X), number(places[v].Y), number(places[v].Z))
		}
		out.WriteString("\"weights\": [")
		for k, x := range list {
			if k > 0 {
				out.WriteString(", ")
			}
			fmt.Fprintf(out, "[%d, %s]", x.Joint, number(x.Value))
		}
		out.WriteString("]}")
	}
	out.WriteString("\n ]}\n")
	return out.Flush()
}

// Decode reads a table; what it is, the first character tells. It refuses numbers that are none,
// shares below zero, joints without a name, and more rows than the limits allow.
func Decode(r io.Reader, l reading.Limits) (*Table, error) {
	l = l.Full()
	in := bufio.NewReader(io.LimitReader(r, l.Bytes+1))
	for {
		b, err := in.ReadByte()
		if errors.Is(err, io.EOF) {
			return nil, errors.New("the file is empty")
		}
		if err != nil {
			return nil, err
		}
		if b == ' ' || b == '\n' || b == '\r' || b == '\t' || b == 0xef || b == 0xbb || b == 0xbf {
			continue
		}
		if err := in.UnreadByte(); err != nil {
			return nil, err
		}
		if b == '{' {
			return decodeJSON(in, l)
		}
		return decodeCSV(in, l)
	}
}

// gathering collects rows of one vertex after another.
type gathering struct {
	t     *Table
	joint map[string]int32
	at    map[string]int // vertex or place → row
	l     reading.Limits
	n     int64
}

func (g *gathering) add(key string, vertex int32, place *r3.Vec, joint string, share float64) error {
	if g.n++; g.n > g.l.Numbers {
		return fmt.Errorf("more than %d weights", g.l.Numbers)
	}
	joint = strings.TrimSpace(joint)
	if joint == "" || len(joint) > 255 {
		return errors.New("a joint has a name of 1 to 255 characters")
	}
	if !(share >= 0) || math.IsInf(share, 1) {
		return fmt.Errorf("%g is not a weight: it must be 0 to 1", share)
	}
	k, ok := g.joint[joint]
	if !ok {
		if len(g.t.Joints) == g.l.Joints {
			return fmt.Errorf("more than %d joints", g.l.Joints)
		}
		k = int32(len(g.t.Joints))
		g.joint[joint] = k
		g.t.Joints = append(g.t.Joints, joint)
	}
	i, ok := g.at[key]
	if !ok {
		if len(g.t.Of) == g.l.Vertices {
			return fmt.Errorf("more than %d vertices", g.l.Vertices)
		}
		i = len(g.t.Of)
		g.at[key] = i
		g.t.Of = append(g.t.Of, nil)
		if vertex >= 0 {
			g.t.Vertex = append(g.t.Vertex, vertex)
		}
		if place != nil {
			if !geom.Finite(*place) {
				return errors.New("a position is not a number")
			}
			g.t.Place = append(g.t.Place, *place)
		}
	}
	for _, x := range g.t.Of[i] {
		if x.Joint == k {
			return fmt.Errorf("the vertex names %s twice", joint)
		}
	}
	if share > 0 {
		g.t.Of[i] = append(g.t.Of[i], weights.Influence{Joint: k, Value: share})
	}
	return nil
}

func gather(l reading.Limits) *gathering {
	return &gathering{t: &Table{}, joint: map[string]int32{}, at: map[string]int{}, l: l}
}

func (g *gathering) done() (*Table, error) {
	if len(g.t.Of) == 0 {
		return nil, errors.New("the file has no vertices")
	}
	for i := range g.t.Of {
		weights.Sort(g.t.Of[i])
	}
	return g.t, nil
}

func decodeCSV(r io.Reader, l reading.Limits) (*Table, error) {
	c := csv.NewReader(r)
	c.ReuseRecord, c.TrimLeadingSpace = true, true
	head, err := c.Read()
	if err != nil {
		return nil, fmt.Errorf("the first line: %w", err)
	}
	column := map[string]int{}
	for i, name := range head {
		column[strings.ToLower(strings.TrimSpace(name))] = i
	}
	col := func(name string) int {
		if i, ok := column[name]; ok {
			return i
		}
		return -1
	}
	vertex, x, y, z, joint, weight := col("vertex"), col("x"), col("y"), col("z"), col("joint"), col("weight")
	places := x >= 0 && y >= 0 && z >= 0
	if joint < 0 || weight < 0 || vertex < 0 && !places {
		return nil, errors.New("line 1: the columns are vertex, joint and weight, or x, y, z, joint and weight, named in the first line")
	}
	g := gather(l)
	for {
		rec, err := c.Read()
		if errors.Is(err, io.EOF) {
			return g.done()
		}
		if err != nil {
			return nil, err
		}
		line, _ := c.FieldPos(0)
		wrong := func(err error) (*Table, error) { return nil, fmt.Errorf("line %d: %w", line, err) }
		share, err := strconv.ParseFloat(strings.TrimSpace(rec[weight]), 64)
		if err != nil {
			return wrong(fmt.Errorf("%q is not a weight: it must be 0 to 1", rec[weight]))
		}
		v, key := int32(-1), ""
		if vertex >= 0 {
			n, err := strconv.ParseInt(strings.TrimSpace(rec[vertex]), 10, 32)
			if err != nil || n < 0 {
				return wrong(fmt.Errorf("%q is not a vertex number", rec[vertex]))
			}
			v, key = int32(n), rec[vertex]
		}
		var at *r3.Vec
		if places {
			p := r3.Vec{}
			for k, to := range []*float64{&p.X, &p.Y, &p.Z} {
				text := rec[[3]int{x, y, z}[k]]
				if *to, err = strconv.ParseFloat(strings.TrimSpace(text), 64); err != nil {
					return wrong(fmt.Errorf("%q is not a length", text))
				}
			}
			at = &p
			if vertex < 0 {
				key = rec[x] + " " + rec[y] + " " + rec[z]
			}
		}
		if err := g.add(strings.Clone(key), v, at, strings.Clone(named(rec[joint])), share); err != nil {
			return wrong(err)
		}
	}
}

func decodeJSON(r io.Reader, l reading.Limits) (*Table, error) {
	var f file
	d := json.NewDecoder(r)
	if err := d.Decode(&f); err != nil {
		return nil, fmt.Errorf("the JSON cannot be read: %w", err)
	}
	if f.Schema != Schema {
		return nil, fmt.Errorf("the schema is %q, not %q", Schema, f.Schema)
	}
	g := gather(l)
	for i, x := range f.Vertices {
		wrong := func(err error) (*Table, error) { return nil, fmt.Errorf("vertex %d of the list: %w", i+1, err) }
		v, key := int32(-1), ""
		switch {
		case x.Vertex != nil && *x.Vertex < 0:
			return wrong(errors.New("its number is below 0"))
		case x.Vertex != nil:
			v, key = *x.Vertex, strconv.Itoa(int(*x.Vertex))
		case x.Place == nil:
			return wrong(errors.New("it has neither a number nor a place"))
		default:
			key = fmt.Sprint(*x.Place)
		}
		if i > 0 && (v >= 0) != (g.t.Vertex != nil) || i > 0 && (x.Place != nil) != (g.t.Place != nil) {
			return wrong(errors.New("all vertices have numbers, or places, or both"))
		}
		var at *r3.Vec
		if x.Place != nil {
			at = &r3.Vec{X: x.Place[0], Y: x.Place[1], Z: x.Place[2]}
		}
		for _, y := range x.Weights {
			if !(y[0] >= 0) || y[0] != math.Trunc(y[0]) || int(y[0]) >= len(f.Joints) {
				return wrong(fmt.Errorf("%g is not a joint number; there are %d", y[0], len(f.Joints)))
			}
			if err := g.add(key, v, at, f.Joints[int(y[0])], y[1]); err != nil {
				return wrong(err)
			}
		}
		if len(x.Weights) == 0 {
			return wrong(errors.New("it has no weights: leave it out"))
		}
	}
	return g.done()
}
