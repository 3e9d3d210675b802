package studio

import "context"

// A change that is asked for may carry a key. It is stored together with what came of
// the change, so that who never got the answer can ask again: it happens once.

type askedKey struct{}

// Asking returns a context for a change with that key; "" is none.
func Asking(ctx context.Context, key string) context.Context {
	return context.WithValue(ctx, askedKey{}, key)
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
}
