package studio

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"
)

// FreeName returns a name for a character that no other of its production has: the name
// itself, or with the lowest number from 2 that makes it new.
func (x *Studio) FreeName(ctx context.Context, production, name string) (string, error) {
	list, err := x.store.Characters(ctx)
	if err != nil {
		return "", err
	}
	taken := func(name string) bool {
		return slices.ContainsFunc(list, func(c Character) bool { return c.Production == production && strings.EqualFold(c.Name, name) })
	}
	out := name
	for n := 2; taken(out); n++ {
		out = fmt.Sprintf("%s %d", name, n)
	}
	return out, nil
}

// Rename gives a character another name, which no other of its production has.
func (x *Studio) Rename(ctx context.Context, id, name string) error {
	name = strings.TrimSpace(name)
	if err := CheckName("a character", name); err != nil {
		return err
	}
	c, err := x.store.Character(ctx, id)
	if err != nil {
		return err
	}
	if !strings.EqualFold(c.Name, name) {
		free, err := x.FreeName(ctx, c.Production, name)
		if err != nil {
			return err
		}
		if free != name {
			return Wrong("there is a character %q in %s already; %q is free", name, c.Production, free)
		}
	}
	return x.store.Rename(ctx, id, name)
}

// Duplicate makes a new character of one as it is now, without its history. What is stored
// of it is stored once.
func (x *Studio) Duplicate(ctx context.Context, id, author string) (Character, error) {
	c, err := x.store.Character(ctx, id)
	if err != nil {
		return c, err
	}
	head, err := x.store.Revision(ctx, c.Head)
	if err != nil {
		return c, err
	}
	name, err := x.FreeName(ctx, c.Production, c.Name)
	if err != nil {
		return c, err
	}
	params, err := json.Marshal(map[string]string{"made": c.Name})
	if err != nil {
		return c, err
	}
	first := Revision{
		Op:      "made",
		Params:  params,
		Author:  author,
		Parts:   head.Parts,
		Time:    time.Now(),
		Outcome: Outcome{Sentence: "A copy of " + c.Name + " as it was"},
	}
	return x.store.Create(ctx, Character{Production: c.Production, Name: name, Role: c.Role}, Commit{Revision: first})
}
