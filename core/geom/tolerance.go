package geom

// Tolerances. Lengths are compared by shares of a size at hand, a mesh's diagonal or a
// skeleton's height, so that a character in millimetres and one in kilometres are
// judged alike; none is an absolute length. What counts as wrong with a character is
// not here but beside the check that says so.
const (
	// SameShare is below what rounding leaves of a length: closer things are one.
	SameShare = 1e-9
	// CrossShare is by how much triangles must pass through each other to count; less
	// is rounding.
	CrossShare = 1e-7
	// FlatShare is the height of a face over its longest edge below which it has no
	// area, and how far something must have moved to count as moved.
	FlatShare  = 1e-6
	MovedShare = 1e-6
	// NearShare is how near vertices are that were meant to be one.
	NearShare = 1e-5
	// TouchShare is how near pieces are that touch.
	TouchShare = 1e-4
	// SymmetryShare is within what vertices are mirror images of each other.
	SymmetryShare = 1e-3
)

// Slant is the sine of an angle below which directions count as parallel.
const Slant = 1e-6
