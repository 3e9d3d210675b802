// Package stages brings all stages in: who imports it has their operations and findings in the registry of
// package studio.
//
// # A stage
//
// Each stage is a package of its own that imports no other: intake, placement, axes, bindpose, bind, weights, motion,
// handoff. Its init registers the stage (title, question, what its findings read, its first steps) and its
// operations. Its remedies.go says, by the code of a finding, which operations mend it; a remedy of another stage goes by
// its name.
//
// # Adding to one
//
// docs/adding-an-operation.md says what an operation needs. The tests of this package do every operation to states of
// all kinds, hostile ones among them: each may refuse with a reason, and none may break off or make a state that is not
// sound.
package stages
