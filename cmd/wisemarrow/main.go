// Command wisemarrow is the workbench: its server, its workers, and the same
// operations on files without a database.
package main

import (
	"errors"
	"fmt"
	"os"

	_ "wisemarrow/stages" // all operations
	"wisemarrow/studio"

	"github.com/spf13/cobra"
)

// Exit codes of the file commands.
const (
	exitGood     = 0
	exitFindings = 1 // findings that block
	exitInput    = 2 // bad input
)

// errFindings ends a command with exitFindings; the findings have been told.
var errFindings = errors.New("there are findings that block")

func main() {
	root := &cobra.Command{
		Use:   "wisemarrow",
		Short: "From a character mesh to a bound character, every step measured",
		Long: `Wise Marrow places a skeleton inside a character mesh, sets its axes, binds the
skin, says which joints have no solution and why, and hands the character over.

The commands check, repair, fit, orient, bindpose, bind, handoff and run work on files, without a database. They exit
with 0 when all is good, 1 when findings block, 2 on bad input.`,
		SilenceErrors: true,
		SilenceUsage:  true,
	}
	root.AddCommand(serveCommand(), workerCommand(), peopleCommand(), migrateCommand(), seedCommand(), checkCommand(), repairCommand(), fitCommand(), orientCommand(), bindposeCommand(), bindCommand(), weightsCommand(), testCommand(), handoffCommand(), runCommand())
	err := root.Execute()
	switch {
	case err == nil:
		os.Exit(exitGood)
	case errors.Is(err, errFindings):
		os.Exit(exitFindings)
	case errors.Is(err, studio.ErrDown):
		fmt.Fprintln(os.Stderr, "wisemarrow:", err)
		os.Exit(3)
	default:
		fmt.Fprintln(os.Stderr, "wisemarrow:", err)
		os.Exit(exitInput)
	}
}
