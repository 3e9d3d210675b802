// Package guide computes how a skin should deform in a pose: as a thin elastic solid about rigid bones, as rigid as
// possible (Sorkine & Alexa, As-Rigid-As-Possible Surface Modeling, 2007).
//
// A [Solid] is prepared once from a mesh at rest and its weights, which tell what bones may hold a vertex; it is led to
// rest in any number of poses, and tells where the vertices of the mesh are then. Places are in world frame, metres.
// docs/methods/solve.md says what holds it together, and what it is checked against.
package guide
