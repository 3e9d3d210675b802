package studio

import "context"

// A change that is asked for may carry a key. It is stored together with what came of
// the change, so that who never got the answer can ask again: it happens once.

type (
	askedKey  struct{}
	askedWhat struct{}
)

// Asking returns a context for a change with that key; "" is none.
func Asking(ctx context.Context, key string) context.Context {
	return context.WithValue(ctx, askedKey{}, key)
}

// AskingFor is Asking with what the change is, in a few bytes: a key that is given for something
// else is told apart.
func AskingFor(ctx context.Context, key, what string) context.Context {
	return context.WithValue(Asking(ctx, key), askedWhat{}, what)
}

// WhatOf returns what the change of a context is, "" where that was not said.
func WhatOf(ctx context.Context) string {
	what, _ := ctx.Value(askedWhat{}).(string)
	return what
}

// KeyOf returns the key of the change that a context is for, "" for none.
func KeyOf(ctx context.Context) string {
	key, _ := ctx.Value(askedKey{}).(string)
	return key
}

// Came is what came of a change: the revision that became the head, or the work that
// was begun, and the character.
type Came struct {
	Character string
	Revision  int64
	Work      string
	What      string // as AskingFor was told
}
