// Package progress holds the type by which a long computation tells how far it is.
package progress

// Func is told what is being done and how much of the whole is done, 0 to 1. It may be called
// from one goroutine at a time.
type Func func(what string, share float64)

// Part returns what tells how far a part of the whole is, which goes from one share of it to another. Of a
// nil f it is nil.
func (f Func) Part(from, to float64) Func {
	if f == nil {
		return nil
	}
	return func(what string, share float64) { f(what, from+(to-from)*share) }
}
