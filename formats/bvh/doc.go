// Package bvh reads and writes motion files of the BVH kind: a hierarchy of joints with offsets, and a line of
// channel values for every frame.
//
// # What is read
//
// [Decode] takes hierarchies with any order of channels, several roots, and rotations in any order of axes. End sites
// become joints called NAME_end. Places are in the file's unit: the caller scales. Joint axes at rest are those of the
// world, as the format has no others. Turns become unit quaternions about the joints' own axes; a position channel moves
// the root; those of other joints are ignored.
//
// # What is written
//
// [Encode] writes offsets and channels with nine digits. Joints whose axes
// at rest are not the world's keep their places and their motion in the world; their axes are lost with the format.
//
// # Limits
//
// A file that is broken gives a [reading.Error] that names its line. How deep a hierarchy may be, and how many frames
// and turns it may have, is bounded, so that no file takes more memory than its size explains.
package bvh
