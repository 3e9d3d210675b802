package placement

import (
	"context"
	"slices"
	"strings"

	"wisemarrow/core/skeleton"
	"wisemarrow/studio"
)

// KeepStarter keeps the skeleton of a character as a starter of its production,
// to be fitted like the given kind; one of that name is replaced.
func KeepStarter(ctx context.Context, x *studio.Studio, character, name, like string) (*skeleton.Own, error) {
	_, _, s, err := x.Head(ctx, character)
	if err != nil {
		return nil, err
	}
	if s.Skeleton == nil {
		return nil, studio.Wrong("no skeleton to keep yet: fit one first")
	}
	kind, err := skeleton.FindKind(like)
	if err != nil {
		return nil, studio.Wrong("%v", err)
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
		return nil, studio.Wrong("%v", err)
	}
	if slices.ContainsFunc(skeleton.Kinds, func(k skeleton.Kind) bool { return strings.EqualFold(k.Name, o.Name) }) {
		return nil, studio.Wrong("%s is the name of a built-in starter: choose another", o.Name)
	}
	return o, x.Shelve(ctx, character, "starter", o.Name, o)
}

// KeepNames keeps a map of names for the production of a character; joints are
// the names there by those of our starters. One of that name is replaced.
func KeepNames(ctx context.Context, x *studio.Studio, character, name string, joints map[string]string) (skeleton.NameMap, error) {
	name = strings.TrimSpace(name)
	m := skeleton.NameMap{Name: name, Source: name, Joints: map[string]string{}}
	if name == "" || len(name) > 63 {
		return m, studio.Wrong("a map of names has a name of 1 to 63 characters")
	}
	if _, err := skeleton.FindNameMap(name); err == nil {
		return m, studio.Wrong("%s is a built-in naming scheme: choose another name", name)
	}
	used := map[string]string{}
	for ours, theirs := range joints {
		if ours == "" || theirs == "" {
			continue
		}
		if other, ok := used[theirs]; ok {
			return m, studio.Wrong("%s is given to both %s and %s", theirs, min(ours, other), max(ours, other))
		}
		used[theirs], m.Joints[ours] = ours, theirs
	}
	if len(m.Joints) == 0 || len(m.Joints) > 1000 {
		return m, studio.Wrong("a map of names has 1 to 1000 pairs, not %d", len(m.Joints))
	}
	return m, x.Shelve(ctx, character, "names", name, m)
}
