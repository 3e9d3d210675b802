package studio

import "context"

// A change that is asked for may carry a key. It is stored together with what came of
// the change, so that who never got the answer can ask again: it happens once.

type (
	idempotencyKey  struct{}
	idempotencyWhat struct{}
)

// WithKey returns a context for a change with that key; "" is none.
func WithKey(ctx context.Context, key string) context.Context {
	return context.WithValue(ctx, idempotencyKey{}, key)
}

// WithKeyFor is WithKey with what the change is, in a few bytes: a key that is given for something
// else is told apart.
func WithKeyFor(ctx context.Context, key, what string) context.Context {
	return context.WithValue(WithKey(ctx, key), idempotencyWhat{}, what)
}

// WhatOf returns what the change of a context is, "" where that was not said.
func WhatOf(ctx context.Context) string {
	what, _ := ctx.Value(idempotencyWhat{}).(string)
	return what
}

// KeyOf returns the key of the change that a context is for, "" for none.
func KeyOf(ctx context.Context) string {
	key, _ := ctx.Value(idempotencyKey{}).(string)
	return key
}

// Receipt is what came of a change: the revision that became the head, or the work that
// was begun, and the character.
type Receipt struct {
	Character string
	Revision  int64
	Work      string
	What      string // as WithKeyFor was told
}
