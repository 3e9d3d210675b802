package main

import (
	"context"
	"log/slog"
	"time"

	"wisemarrow/formats/reading"
	"wisemarrow/queue"

	"github.com/spf13/cobra"
)

func workerCommand() *cobra.Command {
	var url string
	var workers int
	c := &cobra.Command{
		Use:     "worker",
		Short:   "Do long work for the servers on the same database",
		Example: `  wisemarrow-server worker --database postgres://wisemarrow@10.0.0.5/wisemarrow --workers 4`,
		Args:    cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			ctx, stop := interrupted()
			defer stop()
			boundMemory()
			s, x, err := open(ctx, url, reading.Default)
			if err != nil {
				return err
			}
			defer s.Close()
			q, err := queue.New(s.Pool(), x, s, workers)
			if err != nil {
				return err
			}
			if err := q.Start(context.WithoutCancel(ctx)); err != nil {
				return err
			}
			slog.Info("worker started", "works", workers)
			<-ctx.Done()
			end, done := context.WithTimeout(context.Background(), 10*time.Second)
			defer done()
			q.Stop(end)
			return nil
		},
	}
	addDatabase(c, &url)
	c.Flags().IntVar(&workers, "workers", 2, "works done at a time")
	return c
}
