package motion

// ByJoint is what solved weights come to where they are not better as a whole, Helps whether they are, and Guides are read
// from files.
var (
	ByJoint = (*SolveWeights).byJoint
	Helps   = helps
	Guides  = given
)
