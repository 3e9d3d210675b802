// Package weightfile reads and writes skin weights as tables: CSV with a row for each vertex and joint, and JSON. Both
// are described in docs/weight-files.md.
//
// # Values
//
// Values are written so that they come back exactly, as float32. Rows go by vertex number, by place (world meters at
// rest), or both; which of them counts is for the caller to say.
//
// # Reading
//
// [Decode] tells the two kinds apart by their first sign. It returns what the file says, not yet normalized: rows that
// do not sum to 1, joints that a skeleton lacks and places without a vertex are for the caller to tell of. Names that a
// spreadsheet would run as a formula are written quoted, and unquoted again when they are read.
package weightfile
