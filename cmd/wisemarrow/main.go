// Command wisemarrow does the workbench's operations on files, without a database. It is a
// program of its own, without the server's, so that it starts fast and takes little memory.
package main

import (
	"errors"
	"fmt"
	"io"
	"os"
	"runtime/debug"

	"wisemarrow/internal/notices"
	_ "wisemarrow/stages" // all operations

	"github.com/spf13/cobra"
)

// Exit codes of the file commands.
const (
	exitGood     = 0
	exitFindings = 1 // findings that block
	exitInput    = 2 // bad input
)

// errFindings ends a command with exitFindings; the findings have been told.
var errFindings = errors.New("some findings block")

func main() {
	if os.Getenv("GOGC") == "" {
		debug.SetGCPercent(50) // a quarter less memory for a twentieth of the time
	}
	root := &cobra.Command{
		Use:   "wisemarrow",
		Short: "Character mesh to bound character, measured at every step",
		Long: `Wise Marrow places a skeleton inside a character mesh, sets its axes, binds the
skin, says which joints have no solution and why, and hands the character over.

All commands work on files. They exit with 0 when all is good, 1 when findings block,
2 on bad input. The workbench itself is served by wisemarrow-server.`,
		SilenceErrors: true,
		SilenceUsage:  true,
	}
	root.AddCommand(
		checkCommand(),
		repairCommand(),
		fitCommand(),
		orientCommand(),
		bindposeCommand(),
		bindCommand(),
		weightsCommand(),
		shapesCommand(),
		doCommand(),
		testCommand(),
		handoffCommand(),
		compareCommand(),
		whichCommand(),
		runCommand(),
		&cobra.Command{
			Use:   "notices",
			Short: "Print the licenses of what this program carries",
			Args:  cobra.NoArgs,
			RunE: func(c *cobra.Command, _ []string) error {
				_, err := io.WriteString(c.OutOrStdout(), notices.Text)
				return err
			},
		},
	)
	err := root.Execute()
	switch {
	case err == nil:
		os.Exit(exitGood)
	case errors.Is(err, errFindings):
		os.Exit(exitFindings)
	default:
		fmt.Fprintln(os.Stderr, "wisemarrow:", err)
		os.Exit(exitInput)
	}
}
