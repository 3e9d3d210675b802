// Package notices holds the licenses of everything that the programs carry: Go's own, those of the modules that
// are compiled in, and those of the scripts, styles and fonts that are served. After a change of these,
// `go run ./internal/notices/write` writes them again; a test fails until that is done.
package notices

import _ "embed"

// Text is the notices, as a person reads them.
//
//go:embed NOTICES.txt
var Text string
