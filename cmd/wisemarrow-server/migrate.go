package main

import (
	"wisemarrow/formats/reading"

	"github.com/spf13/cobra"
)

func migrateCommand() *cobra.Command {
	var url string
	c := &cobra.Command{
		Use:   "migrate",
		Short: "Bring the database's tables up to date",
		Args:  cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			s, _, err := open(c.Context(), url, reading.Default)
			if err != nil {
				return err
			}
			return s.Close()
		},
	}
	addDatabase(c, &url)
	return c
}
