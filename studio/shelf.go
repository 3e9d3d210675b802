package studio

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"wisemarrow/core/skeleton"
)

// ShelfItem is what a production keeps for its characters to use: Kind "starter"
// is a skeleton.Own, "names" a skeleton.NameMap.
type ShelfItem struct {
	Production, Kind, Name string
	Body                   json.RawMessage
}

// Shelf is all that a production keeps.
type Shelf struct {
	Starters []*skeleton.Own    `json:"starters"`
	Names    []skeleton.NameMap `json:"names"` // the shipped ones first
}

// Shelf returns what the production of a character keeps.
func (x *Studio) Shelf(ctx context.Context, character string) (Shelf, error) {
	c, err := x.store.Character(ctx, character)
	if err != nil {
		return Shelf{}, err
	}
	list, err := x.store.Shelf(ctx, c.Production)
	if err != nil {
		return Shelf{}, err
	}
	out := Shelf{Starters: []*skeleton.Own{}, Names: slices.Clone(skeleton.NameMaps)}
	for _, item := range list {
		switch item.Kind {
		case "starter":
			o := &skeleton.Own{}
			if err := json.Unmarshal(item.Body, o); err != nil {
				return out, fmt.Errorf("reading the starter %s: %w", item.Name, err)
			}
			out.Starters = append(out.Starters, o)
		case "names":
			var m skeleton.NameMap
			if err := json.Unmarshal(item.Body, &m); err != nil {
				return out, fmt.Errorf("reading the names %s: %w", item.Name, err)
			}
			out.Names = append(out.Names, m)
		}
	}
	return out, nil
}

// KeepStarter keeps the skeleton of a character as a starter of its production,
// to be fitted like the given kind; one of that name is replaced.
func (x *Studio) KeepStarter(ctx context.Context, character, name, like string) (*skeleton.Own, error) {
	s, err := x.head(ctx, character)
	if err != nil {
		return nil, err
	}
	if err := needSkeleton(*s); err != nil {
		return nil, err
	}
	kind, err := skeleton.FindKind(like)
	if err != nil {
		return nil, wrong("%v", err)
	}
	params := kind.Default
	if s.Fit != nil && s.Fit.Starter == like {
		params = s.Fit.Params
		params.Height = kind.Default.Height
	}
	shelf, err := x.Shelf(ctx, character)
	if err != nil {
		return nil, err
	}
	o, err := skeleton.NewOwn(name, params, s.Skeleton, shelf.Names)
	if err != nil {
		return nil, wrong("%v", err)
	}
	if slices.ContainsFunc(skeleton.Kinds, func(k skeleton.Kind) bool { return strings.EqualFold(k.Name, o.Name) }) {
		return nil, wrong("%s is the name of a starter that is always there: choose another", o.Name)
	}
	return o, x.keep(ctx, character, "starter", o.Name, o)
}

// KeepNames keeps a map of names for the production of a character; joints are
// the names there by those of our starters. One of that name is replaced.
func (x *Studio) KeepNames(ctx context.Context, character, name string, joints map[string]string) (skeleton.NameMap, error) {
	name = strings.TrimSpace(name)
	m := skeleton.NameMap{Name: name, Source: name, Joints: map[string]string{}}
	if name == "" || len(name) > 63 {
		return m, wrong("a map of names has a name of 1 to 63 characters")
	}
	if _, err := skeleton.FindNameMap(name); err == nil {
		return m, wrong("%s is a map that is always there: choose another name", name)
	}
	used := map[string]string{}
	for ours, theirs := range joints {
		if ours == "" || theirs == "" {
			continue
		}
		if other, ok := used[theirs]; ok {
			return m, wrong("%s is given to both %s and %s", theirs, min(ours, other), max(ours, other))
		}
		used[theirs], m.Joints[ours] = ours, theirs
	}
	if len(m.Joints) == 0 || len(m.Joints) > 1000 {
		return m, wrong("a map of names has 1 to 1000 pairs, not %d", len(m.Joints))
	}
	return m, x.keep(ctx, character, "names", name, m)
}

func (x *Studio) keep(ctx context.Context, character, kind, name string, body any) error {
	c, err := x.store.Character(ctx, character)
	if err != nil {
		return err
	}
	data, err := json.Marshal(body)
	if err != nil {
		return err
	}
	return x.store.Shelve(ctx, ShelfItem{c.Production, kind, name, data})
}

// Discard takes something off the shelf of a character's production. Characters
// that were made with it stay as they are.
func (x *Studio) Discard(ctx context.Context, character, kind, name string) error {
	c, err := x.store.Character(ctx, character)
	if err != nil {
		return err
	}
	return x.store.Discard(ctx, c.Production, kind, name)
}
