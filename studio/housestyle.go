package studio

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"

	"wisemarrow/core/fit"
	"wisemarrow/core/housestyle"
)

const (
	// styleKind and styleName are what the choices about a house style have on the shelf: a production has one.
	styleKind = "style"
	styleName = "style"
	// styleOf is how many characters a house style is learned from: the latest.
	styleOf = 200
)

// StyleChoice is what a production has chosen about its house style.
type StyleChoice struct {
	Off bool `json:"off"` // it is not offered
	// LeftOut are joints, as starters name them without a side, whose habits are not offered.
	LeftOut []string `json:"leftOut"`
}

// HouseStyle is how a production places joints.
type HouseStyle struct {
	housestyle.Style
	Choice StyleChoice `json:"-"`
	// Characters is how many others with a fit it was learned from; Cut: there are more, older ones.
	Characters int  `json:"characters"`
	Cut        bool `json:"cut,omitempty"`
}

// Offered returns what is to be offered of a house style: all but what is left out; nothing where it is off.
func (h HouseStyle) Offered() housestyle.Style {
	var out housestyle.Style
	if h.Choice.Off {
		return out
	}
	for _, x := range h.Habits {
		if !slices.Contains(h.Choice.LeftOut, x.Joint) {
			out.Habits = append(out.Habits, x)
		}
	}
	return out
}

// HouseStyle learns the house style of a character's production from its other characters as they are now. Copies of a
// character count once.
func (x *Studio) HouseStyle(ctx context.Context, character string) (HouseStyle, error) {
	var out HouseStyle
	c, err := x.store.Character(ctx, character)
	if err != nil {
		return out, err
	}
	items, err := x.store.Shelf(ctx, c.Production)
	if err != nil {
		return out, err
	}
	for _, item := range items {
		if item.Kind != styleKind {
			continue
		}
		if err := json.Unmarshal(item.Body, &out.Choice); err != nil {
			return out, fmt.Errorf("reading the choices about the house style of %s: %w", c.Production, err)
		}
	}
	list, err := x.store.Characters(ctx) // the oldest first
	if err != nil {
		return out, err
	}
	list = slices.DeleteFunc(list, func(o Character) bool { return o.Production != c.Production || o.ID == c.ID })
	if len(list) > styleOf {
		list, out.Cut = list[len(list)-styleOf:], true
	}
	heads := make([]int64, len(list))
	for i, o := range list {
		heads[i] = o.Head
	}
	revs, err := x.store.Revisions(ctx, heads)
	if err != nil {
		return out, err
	}
	var hashes []string
	for _, id := range heads {
		if hash := revs[id].Parts["fit"]; hash != "" && !slices.Contains(hashes, hash) {
			hashes = append(hashes, hash)
		}
	}
	fits, err := x.fitsOf(ctx, hashes)
	if err != nil {
		return out, err
	}
	out.Style, out.Characters = housestyle.Learn(fits), len(fits)
	return out, nil
}

// fitsOf returns reports of fits by the hashes of their blobs; one query reads those that are not in memory.
func (x *Studio) fitsOf(ctx context.Context, hashes []string) ([]*fit.Report, error) {
	out := make([]*fit.Report, len(hashes))
	var missing []string
	for i, h := range hashes {
		if r, ok := x.fits.get(h); ok {
			out[i] = r
		} else {
			missing = append(missing, h)
		}
	}
	if missing == nil {
		return out, nil
	}
	found, err := x.store.Blobs(ctx, missing)
	if err != nil {
		return nil, err
	}
	for i, h := range hashes {
		if out[i] != nil {
			continue
		}
		var r fit.Report
		if err := json.Unmarshal(found[h], &r); err != nil {
			return nil, fmt.Errorf("reading the fit %s: %w", h, err)
		}
		r.Shape, r.Own = nil, nil // nothing is learned from them, and they may be large
		out[i] = &r
		x.fits.put(h, &r, 100*len(r.Fitted)+1000)
	}
	return out, nil
}

// ChooseStyle keeps what a character's production has chosen about its house style.
func (x *Studio) ChooseStyle(ctx context.Context, character string, choice StyleChoice) (StyleChoice, error) {
	if len(choice.LeftOut) > 1000 {
		return choice, Wrong("at most 1000 joints are left out of a house style, not %d", len(choice.LeftOut))
	}
	for _, name := range choice.LeftOut {
		if err := CheckName("a joint", name); err != nil {
			return choice, err
		}
	}
	slices.Sort(choice.LeftOut)
	choice.LeftOut = slices.Compact(choice.LeftOut)
	return choice, x.Shelve(ctx, character, styleKind, styleName, choice)
}
