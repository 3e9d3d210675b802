package main

import (
	"os"

	"wisemarrow/demo"
	"wisemarrow/formats/reading"

	"github.com/spf13/cobra"
)

func seedCommand() *cobra.Command {
	var url string
	var sheets bool
	c := &cobra.Command{
		Use:   "seed",
		Short: "Bring in the demo production, unless it is there",
		Args:  cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			ctx := c.Context()
			s, x, err := open(ctx, url, reading.Default)
			if err != nil {
				return err
			}
			defer s.Close()
			return demo.Seed(ctx, x, os.Stdout, sheets)
		},
	}
	addDatabase(c, &url)
	c.Flags().BoolVar(&sheets, "sheets", false, "also run the motion check on bound characters")
	return c
}
