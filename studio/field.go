package studio

import (
	"cmp"
	"encoding/json"
	"fmt"
	"math"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"sync"

	"wisemarrow/core/wording"
)

// Field describes a parameter of an operation: what a form, the flags of the command line, the description of
// the interface and the check of its bounds are made of. It is read from the tags of the parameter struct:
//
//	Passes int `json:"passes" as:"Passes" in:"1..100" help:"how often"`
//
// as is the label, in the range, unit the unit, one the choices ("value=label"), of the kind where the type
// does not tell it, count how many a list takes, help a few words on what it does.
type Field struct {
	Name    string          `json:"name"`
	Label   string          `json:"label"`
	Kind    Kind            `json:"kind"`
	Unit    string          `json:"unit,omitempty"`
	Help    string          `json:"help,omitempty"`
	Range   *Range          `json:"range,omitempty"`
	Choices []Choice        `json:"choices,omitempty"`
	Default json.RawMessage `json:"default,omitempty"`
	// Optional: what is left out means that it is found, or that it is not asked for.
	Optional bool `json:"optional,omitempty"`
	// Count is how many it takes, of a list that takes so many and no others.
	Count int `json:"count,omitempty"`
	index []int
}

// Choice is one of the values that a parameter may have, and how it is called on screen.
type Choice struct {
	Value string `json:"value"`
	Label string `json:"label"`
}

// Kind is what a parameter is, and so where its value comes from.
type Kind string

// Kinds of parameters.
const (
	KindNumber   Kind = "number"
	KindWhole    Kind = "whole" // a whole number
	KindYes      Kind = "yes"   // yes or no
	KindText     Kind = "text"
	KindTexts    Kind = "texts"
	KindJoint    Kind = "joint"    // the name of one
	KindJoints   Kind = "joints"   // names
	KindParts    Kind = "parts"    // names
	KindVertices Kind = "vertices" // ranges of numbers, as "0-14,20"; none is all
	KindFaces    Kind = "faces"    // numbers
	KindPosition Kind = "position" // three numbers, metres in world frame
	KindPair     Kind = "pair"     // two numbers, from and to
	KindFile     Kind = "file"
	KindValues   Kind = "values" // numbers by name
	KindObject   Kind = "object" // JSON
)

// Range bounds a number; a bound that is open is itself out of it.
type Range struct {
	Low, High         *float64
	LowOpen, HighOpen bool
}

// MarshalJSON writes the bounds that there are, as JSON Schema names them.
func (r Range) MarshalJSON() ([]byte, error) {
	out := map[string]float64{}
	if r.Low != nil {
		out[map[bool]string{false: "minimum", true: "exclusiveMinimum"}[r.LowOpen]] = *r.Low
	}
	if r.High != nil {
		out[map[bool]string{false: "maximum", true: "exclusiveMaximum"}[r.HighOpen]] = *r.High
	}
	return json.Marshal(out)
}

// Holds reports whether a number is within the range.
func (r Range) Holds(x float64) bool {
	return !math.IsNaN(x) && !math.IsInf(x, 0) &&
		(r.Low == nil || x > *r.Low || x == *r.Low && !r.LowOpen) && (r.High == nil || x < *r.High || x == *r.High && !r.HighOpen)
}

// Says names the range in words: "from 1 to 100", "above 0 m".
func (r Range) Says(unit string) string {
	if unit != "" && unit != "°" {
		unit = " " + unit
	}
	number := func(x float64) string {
		if a := math.Abs(x); unit == " m" && a > 0 && a < 0.01 {
			return wording.Number(1000*x) + " mm"
		}
		return wording.Number(x) + unit
	}
	if r.High != nil && *r.High >= MaxPlace && r.Low != nil { // only so that nothing overflows
		r.High = nil
		if *r.Low <= -MaxPlace {
			return "a number" + unit
		}
	}
	switch {
	case r.Low != nil && r.High != nil && !r.LowOpen && !r.HighOpen:
		low := number(*r.Low)
		if !strings.HasSuffix(low, " mm") {
			low = wording.Number(*r.Low)
		}
		return "from " + low + " to " + number(*r.High)
	case r.Low != nil && r.High != nil:
		low := Range{Low: r.Low, LowOpen: r.LowOpen}.Says("")
		return low + " and " + Range{High: r.High, HighOpen: r.HighOpen}.Says(strings.TrimSpace(unit))
	case r.Low != nil && r.LowOpen:
		return "above " + number(*r.Low)
	case r.Low != nil:
		return "at least " + number(*r.Low)
	case r.High != nil && r.HighOpen:
		return "below " + number(*r.High)
	case r.High != nil:
		return "at most " + number(*r.High)
	}
	return "a number"
}

// parseRange reads "1..100", "0<..", "0..<0.5", "..360".
func parseRange(text string) (*Range, error) {
	low, high, ok := strings.Cut(text, "..")
	if !ok {
		return nil, fmt.Errorf("range %q has no two dots", text)
	}
	r := &Range{}
	low, r.LowOpen = strings.CutSuffix(low, "<")
	high, r.HighOpen = strings.CutPrefix(high, "<")
	for _, end := range []struct {
		text string
		to   **float64
	}{{low, &r.Low}, {high, &r.High}} {
		if end.text == "" {
			continue
		}
		x, err := strconv.ParseFloat(end.text, 64)
		if err != nil {
			return nil, fmt.Errorf("range %q: %w", text, err)
		}
		*end.to = &x
	}
	return r, nil
}

// fieldsOf are the fields by type of the parameter struct, read once.
var fieldsOf sync.Map // reflect.Type to []Field

// Fields describes the parameters of an operation, in the order of its struct.
func (e Entry) Fields() []Field {
	op := e.New()
	v := reflect.Indirect(reflect.ValueOf(op))
	if have, ok := fieldsOf.Load(v.Type()); ok {
		return have.([]Field)
	}
	var out []Field
	if v.Kind() == reflect.Struct {
		out = fields(v, nil)
	}
	fieldsOf.Store(v.Type(), out)
	return out
}

// Field returns the field of a name.
func (e Entry) Field(name string) (Field, bool) {
	list := e.Fields()
	i := slices.IndexFunc(list, func(f Field) bool { return f.Name == name })
	if i < 0 {
		return Field{}, false
	}
	return list[i], true
}

func fields(v reflect.Value, at []int) []Field {
	var out []Field
	for i := range v.NumField() {
		sf := v.Type().Field(i)
		index := append(slices.Clone(at), i)
		if sf.Anonymous && sf.Tag.Get("json") == "" {
			if inner := reflect.Indirect(v.Field(i)); inner.IsValid() && inner.Kind() == reflect.Struct {
				out = append(out, fields(inner, index)...)
			}
			continue
		}
		name, options, _ := strings.Cut(sf.Tag.Get("json"), ",")
		if name == "" || name == "-" || !sf.IsExported() {
			continue
		}
		f := Field{Name: name, Label: sf.Tag.Get("as"), Unit: sf.Tag.Get("unit"), Help: sf.Tag.Get("help"),
			Optional: options == "omitempty" || sf.Type.Kind() == reflect.Pointer, Kind: Kind(sf.Tag.Get("of")), index: index}
		if f.Label == "" {
			f.Label = strings.ToUpper(name[:1]) + strings.ReplaceAll(name[1:], "_", " ")
		}
		if f.Kind == "" {
			f.Kind = kindOf(name, sf.Type)
		}
		if text := sf.Tag.Get("in"); text != "" {
			r, err := parseRange(text)
			if err != nil {
				panic(fmt.Sprintf("%v.%s: %v", v.Type(), sf.Name, err))
			}
			f.Range = r
		}
		f.Count, _ = strconv.Atoi(sf.Tag.Get("count"))
		if text := sf.Tag.Get("one"); text != "" {
			for _, c := range strings.Split(text, ",") {
				value, label, ok := strings.Cut(c, "=")
				if !ok {
					label = value
				}
				f.Choices = append(f.Choices, Choice{value, label})
			}
		}
		if x := v.Field(i); !x.IsZero() {
			f.Default, _ = json.Marshal(x.Interface())
		}
		out = append(out, f)
	}
	return out
}

// kindOf is the kind of a parameter of that name and type.
func kindOf(name string, t reflect.Type) Kind {
	for t.Kind() == reflect.Pointer {
		t = t.Elem()
	}
	switch {
	case t == reflect.TypeFor[File]():
		return KindFile
	case t == reflect.TypeFor[Place](), t == reflect.TypeFor[[3]float64]():
		return KindPosition
	case t == reflect.TypeFor[[2]float64]():
		return KindPair
	case t == reflect.TypeFor[[]int32]():
		return KindFaces
	}
	switch t.Kind() {
	case reflect.Map:
		if t.Key().Kind() == reflect.String && t.Elem().Kind() == reflect.Float64 {
			return KindValues
		}
	case reflect.Bool:
		return KindYes
	case reflect.Int, reflect.Int32, reflect.Int64:
		return KindWhole
	case reflect.Float64:
		return KindNumber
	case reflect.String:
		switch name {
		case "joint", "parent":
			return KindJoint
		case "vertices":
			return KindVertices
		}
		return KindText
	case reflect.Slice:
		if t.Elem().Kind() == reflect.String {
			switch name {
			case "joints", "skip":
				return KindJoints
			case "parts", "onto":
				return KindParts
			}
			return KindTexts
		}
	}
	return KindObject
}

// Values are the values that there are to choose from, as a sentence names them.
func (f Field) Values() []string {
	out := make([]string, len(f.Choices))
	for i, c := range f.Choices {
		out[i] = cmp.Or(c.Value, "empty")
	}
	return out
}

// Check reports the first parameter that is out of its bounds.
func (e Entry) Check(op Operation) error {
	v := reflect.Indirect(reflect.ValueOf(op))
	for _, f := range e.Fields() {
		if err := f.check(v.FieldByIndex(f.index)); err != nil {
			return err
		}
	}
	return nil
}

func (f Field) check(v reflect.Value) error {
	if f.Range == nil && f.Choices == nil || f.Optional && v.IsZero() {
		return nil
	}
	v = reflect.Indirect(v)
	switch v.Kind() {
	case reflect.Slice, reflect.Array:
		for i := range v.Len() {
			if err := f.check(v.Index(i)); err != nil {
				return err
			}
		}
	case reflect.Int, reflect.Int32, reflect.Int64:
		if !f.Range.Holds(float64(v.Int())) {
			return f.outside(float64(v.Int()))
		}
	case reflect.Float64:
		if !f.Range.Holds(v.Float()) {
			return f.outside(v.Float())
		}
	case reflect.String:
		if !slices.ContainsFunc(f.Choices, func(c Choice) bool { return c.Value == v.String() }) {
			return Wrong("%s must be %s, not %q", f.Label, wording.Or(f.Values()), v.String())
		}
	}
	return nil
}

// outside is the refusal of a number that is out of the range.
func (f Field) outside(x float64) error {
	r := *f.Range
	if r.High != nil && x > *r.High { // which may be one that is not named for a number below it
		r = Range{High: r.High, HighOpen: r.HighOpen}
		if f.Range.Low != nil && *f.Range.High < MaxPlace {
			r = *f.Range
		}
	}
	return Wrong("%s must be %s, not %s", f.Label, r.Says(f.Unit), wording.Number(x))
}
