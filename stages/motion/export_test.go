package motion

// ByJoint is what solved weights come to where they are not better as a whole, and Helps whether they are.
var (
	ByJoint = (*SolveWeights).byJoint
	Helps   = helps
)
