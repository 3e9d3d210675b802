// Command wisemarrow-server is the workbench: its server and its workers. The same
// operations on files, without a database, are those of the command wisemarrow.
package main

import (
	"errors"
	"fmt"
	"os"

	_ "wisemarrow/stages" // all operations
	"wisemarrow/studio"

	"github.com/spf13/cobra"
)

func main() {
	root := &cobra.Command{
		Use:   "wisemarrow-server",
		Short: "Serve the workbench and run its jobs",
		Long: `Serves Wise Marrow to browsers, does its long work, lets people in. It needs a
PostgreSQL database. It exits with 0 when all is good, 2 on bad input, 3 when the
database cannot be reached.`,
		SilenceErrors: true,
		SilenceUsage:  true,
	}
	root.AddCommand(serveCommand(), workerCommand(), peopleCommand(), migrateCommand(), seedCommand(), tidyCommand())
	err := root.Execute()
	if err == nil {
		return
	}
	fmt.Fprintln(os.Stderr, "wisemarrow-server:", err)
	if errors.Is(err, studio.ErrDown) {
		os.Exit(3)
	}
	os.Exit(2)
}
