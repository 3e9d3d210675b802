package web

import (
	"cmp"
	"encoding/json"
	"fmt"
	"html"
	"html/template"
	"strconv"
	"strings"

	"wisemarrow/studio"
)

// What a form in a template takes from the description of its operation.

// fieldOf finds a parameter of an operation; a template that names another does not render.
func fieldOf(op, name string) (studio.Field, error) {
	e, _, err := studio.ParseOperation(op, nil)
	if e.Name == "" {
		return studio.Field{}, err
	}
	f, ok := e.Field(name)
	if !ok {
		return f, fmt.Errorf("%s has no parameter %q", op, name)
	}
	return f, nil
}

// bounds are the attributes of a number's field: least, most and step. With a factor it is shown so many times
// as large: 1000 for metres in millimetres.
func bounds(op, name string, factor ...float64) (template.HTMLAttr, error) {
	f, err := fieldOf(op, name)
	if err != nil {
		return "", err
	}
	times, tiny := 1.0, 1e-4 // an open bound is out of the range by that much
	if len(factor) > 0 {
		times = factor[0]
	}
	var out []string
	add := func(name string, x float64) {
		out = append(out, fmt.Sprintf(`%s="%s"`, name, strconv.FormatFloat(x, 'f', -1, 64)))
	}
	if r := f.Range; r != nil {
		if r.Low != nil && *r.Low > -studio.MaxPlace {
			low := *r.Low * times
			if r.LowOpen {
				low += tiny
			}
			add("min", low)
		}
		if r.High != nil && *r.High < studio.MaxPlace {
			high := *r.High * times
			if r.HighOpen {
				high -= tiny
			}
			add("max", high)
		}
	}
	if f.Kind == studio.KindNumber {
		out = append(out, `step="any"`)
	}
	return template.HTMLAttr(strings.Join(out, " ")), nil
}

// defaultOf is the default of a number, so many times as large.
func defaultOf(op, name string, factor ...float64) (string, error) {
	f, err := fieldOf(op, name)
	if err != nil {
		return "", err
	}
	x := 0.0
	if f.Default != nil {
		if err := json.Unmarshal(f.Default, &x); err != nil {
			return "", fmt.Errorf("%s.%s: %w", op, name, err)
		}
	}
	if len(factor) > 0 {
		x *= factor[0]
	}
	return strconv.FormatFloat(x, 'g', 6, 64), nil
}

// options are the options of a choice, the given one or the default selected.
func options(op, name string, chosen ...string) (template.HTML, error) {
	f, err := fieldOf(op, name)
	if err != nil {
		return "", err
	}
	now := ""
	if f.Default != nil {
		_ = json.Unmarshal(f.Default, &now)
	}
	if len(chosen) > 0 {
		now = cmp.Or(chosen[0], now)
	}
	var b strings.Builder
	for _, c := range f.Choices {
		selected := ""
		if c.Value == now {
			selected = " selected"
		}
		fmt.Fprintf(&b, `<option value="%s"%s>%s</option>`, html.EscapeString(c.Value), selected, html.EscapeString(c.Label))
	}
	return template.HTML(b.String()), nil
}
