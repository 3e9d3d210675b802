package main

import (
	"fmt"
	"time"

	"wisemarrow/core/wording"
	"wisemarrow/formats/reading"
	"wisemarrow/store"

	"github.com/spf13/cobra"
)

func tidyCommand() *cobra.Command {
	var url string
	var days int
	var look bool
	c := &cobra.Command{
		Use:   "tidy",
		Short: "Release what nothing refers to any longer: removed characters, branches that were undone and left",
		Long: `Releases what nothing refers to any longer and has not for a time: characters that were
removed, branches that were undone and left, and content that nothing names. Servers and
workers do it every night with 30 days. Content is set aside first and dropped by a run a
day later, if nothing named it meanwhile. With --look nothing is changed.`,
		Example: `  wisemarrow-server tidy --look
  wisemarrow-server tidy --days 7`,
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if days < 1 {
				return fmt.Errorf("--days is 1 or more, not %d: what was undone today may be wanted today", days)
			}
			s, _, err := open(c.Context(), url, reading.Default)
			if err != nil {
				return err
			}
			defer s.Close()
			t, err := s.Tidy(c.Context(), time.Duration(days)*24*time.Hour, look)
			if err != nil {
				return err
			}
			fmt.Println(tidied(t, look))
			return nil
		},
	}
	addDatabase(c, &url)
	c.Flags().IntVar(&days, "days", int(store.TidyAfter/(24*time.Hour)), "how long ago something was removed or undone")
	c.Flags().BoolVar(&look, "look", false, "only say what would be released")
	return c
}

// tidied says what was released, or would be.
func tidied(t store.Tidied, look bool) string {
	if !t.Any() {
		return "There is nothing to release."
	}
	verb := "Released"
	if look {
		verb = "Would release"
	}
	n := func(x int64, one, many string) string { return wording.Count(int(x), one, many) }
	return fmt.Sprintf(
		"%s %s and %s (%s). Content: %s set aside, %.1f MB, and %s removed that an earlier run set aside or that nothing refers to; %s.",
		verb,
		n(t.Characters, "removed character", "removed characters"),
		n(t.Revisions, "revision", "revisions"),
		n(t.Works, "work", "works"),
		n(t.Blobs, "blob", "blobs"),
		float64(t.Bytes)/1e6,
		n(t.Staged, "blob", "blobs"),
		n(t.Derived, "derived value", "derived values"),
	)
}
