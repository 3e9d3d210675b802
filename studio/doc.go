// Package studio is the backbone: the state of a character and its parts, the registry of the operations
// that change it, its stages and their findings, its history, and the long work on it.
//
// # States and operations
//
// A [State] is a character at one moment: mesh, skeleton, weights, bind pose, motions, settings. It is a value;
// whoever changes it makes another that shares what is the same. An [Operation] is anything that a person can do to
// it: a struct with its parameters, whose tags say what each may be (label, unit, range, choices; see [Entry.Fields]),
// and Apply, which returns the new state and an [Outcome]: a sentence with the number before and after. It changes
// nothing in place.
//
// Operations stand in one registry ([Register], [Operations], [ParseOperation]); the screen, the command line,
// scripts, jobs, history and tests all go through it. [Apply] does one: it is refused where it lacks something
// ([Entry.Missing]), and a panic within becomes a [BrokenError].
//
// # Stages and findings
//
// A [Stage] measures a state: its findings say what is wrong, how much, and where. They depend on the parts that the
// stage says it reads, and are computed again when one of these has changed ([Studio.Review]). A stage makes the
// remedies of its findings with [Offer], as operations of the registry; [Studio.Tries] tries them on a copy that is
// thrown away, and says with numbers what each would do.
//
// # Revisions
//
// A [Studio] keeps characters in a [Store]. [Studio.Do] applies an operation to the newest revision and commits
// another, or begins a [Work] where it takes long. Who worked on an older revision gets a [StaleError], and nothing is
// lost. A change may carry a key ([WithKey]), so that who never got the answer can ask again: it happens once, and its
// [Receipt] tells what came of it.
//
// # Long work
//
// [Studio.Run] does a work in whichever process takes it up, tells how far it is ([Progress]) and that it is alive, and
// commits the revision together with the end of the work. One that falls silent is taken up by another process; the
// old attempt can then store nothing ([Claim]).
//
// The store and the queue that this package needs are declared here; packages store and queue implement them. What
// a stage can do and find lies in the folder of that stage, and a program gets them all by importing package stages.
package studio
