// Package solve finds the skin weights with which linear blending comes as close as it can to how a skin should
// deform in a set of poses.
//
// For every vertex the weights w ≥ 0 that sum to 1 minimize, over all frames f with the matrices M of the joints,
//
//	Σ |Σ w·M·p − g|² + smooth·Σ |w − w of a neighbor|² + held·|w − w as bound|²
//
// where g is where a guide has the vertex (package guide). It is the weight step of skinning decomposition (Le & Deng,
// Smooth Skinning Decomposition with Rigid Bones, 2012) over the joints of a skeleton that is there, with a term along
// the surface. As Σ w = 1, only the products of the ways M·p − g of each two joints are kept of all frames, so that
// memory does not grow with their number.
//
// A [Problem] is made for the weights of a mesh, is told of frames with Add, and is solved.
package solve
