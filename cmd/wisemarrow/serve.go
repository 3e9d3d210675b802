package main

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"os"
	"os/signal"
	"syscall"
	"time"

	"wisemarrow/formats/reading"
	"wisemarrow/queue"
	"wisemarrow/store"
	"wisemarrow/studio"
	"wisemarrow/web"

	"github.com/KimMachineGun/automemlimit/memlimit"
	"github.com/spf13/cobra"
)

// databaseURL is the default database: what the project's own scripts start.
func databaseURL() string {
	if u := os.Getenv("WISEMARROW_DATABASE"); u != "" {
		return u
	}
	return "postgres://wisemarrow@127.0.0.1:5540/wisemarrow?sslmode=disable"
}

// addDatabase adds the flag. The default is found when the command runs: as the flag's
// own it would be printed by --help, with its password.
func addDatabase(c *cobra.Command, url *string) {
	c.Flags().StringVar(url, "database", "", "PostgreSQL URL (default: WISEMARROW_DATABASE, or the project's own on 127.0.0.1)")
	c.PreRun = func(*cobra.Command, []string) {
		if *url == "" {
			*url = databaseURL()
		}
	}
}

// boundMemory makes the garbage collector work harder before the machine, or the
// container, runs out, unless GOMEMLIMIT says otherwise.
func boundMemory() {
	quiet := memlimit.WithLogger(slog.New(slog.DiscardHandler))
	if _, err := memlimit.Set(memlimit.WithRatio(0.8), quiet, memlimit.WithProvider(memlimit.ApplyFallback(memlimit.FromCgroup, memlimit.FromSystem))); err != nil {
		slog.Warn("the memory of the machine is not known; set GOMEMLIMIT", "error", err)
	}
}

// open connects, migrates and builds the studio.
func open(ctx context.Context, url string, limits reading.Limits) (*store.Store, *studio.Studio, error) {
	s, err := store.Open(ctx, url)
	if err != nil {
		return nil, nil, fmt.Errorf("%w\nIs PostgreSQL running? `make db` starts the project's own; --database names another", err)
	}
	if err := s.Migrate(ctx); err != nil {
		s.Close()
		return nil, nil, err
	}
	if err := queue.Migrate(ctx, url); err != nil {
		s.Close()
		return nil, nil, err
	}
	return s, studio.New(s, nil, limits), nil
}

func interrupted() (context.Context, context.CancelFunc) {
	return signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
}

func serveCommand() *cobra.Command {
	var url, addr string
	var hosts []string
	var workers, megabytes, vertices int
	c := &cobra.Command{
		Use:   "serve",
		Short: "Serve the workbench, and do long work in the same process",
		Example: `  wisemarrow serve --addr 127.0.0.1:8470
  wisemarrow serve --workers 0     # leave long work to wisemarrow worker
  wisemarrow serve --host marrow.studio.example     # behind a proxy of that name`,
		Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			ctx, stop := interrupted()
			defer stop()
			boundMemory()
			limits := reading.Limits{Bytes: int64(megabytes) << 20, Vertices: vertices}
			s, x, err := open(ctx, url, limits)
			if err != nil {
				return err
			}
			defer s.Close()
			q, err := queue.New(ctx, url, x, s, workers)
			if err != nil {
				return err
			}
			x.SetJobs(q)
			if workers > 0 {
				if err := q.Start(context.WithoutCancel(ctx)); err != nil {
					return err
				}
			}
			listener, err := net.Listen("tcp", addr)
			if err != nil {
				return fmt.Errorf("%s is not free: %w\nAnother server may be running there; choose another with --addr", addr, err)
			}
			go s.Listen(ctx, x.Wake)
			server := &http.Server{Handler: web.Known(hosts, web.Routes(x, s.Ping)), ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute, MaxHeaderBytes: 64 << 10, BaseContext: func(net.Listener) context.Context { return ctx }}
			go func() {
				<-ctx.Done()
				end, done := context.WithTimeout(context.Background(), 5*time.Second)
				defer done()
				_ = server.Shutdown(end)
			}()
			fmt.Printf("Wise Marrow is at http://%s\n", listener.Addr())
			err = server.Serve(listener)
			if !errors.Is(err, http.ErrServerClosed) {
				return err
			}
			end, done := context.WithTimeout(context.Background(), 10*time.Second)
			defer done()
			q.Stop(end)
			return nil
		},
	}
	addDatabase(c, &url)
	c.Flags().StringVar(&addr, "addr", "127.0.0.1:8470", "address to listen on")
	c.Flags().StringSliceVar(&hosts, "host", nil, "a further name that browsers reach it by, besides addresses and localhost")
	c.Flags().IntVar(&workers, "workers", 2, "long works done at a time in this process")
	c.Flags().IntVar(&megabytes, "max-megabytes", int(reading.Default.Bytes>>20), "largest file accepted")
	c.Flags().IntVar(&vertices, "max-vertices", reading.Default.Vertices, "most vertices accepted")
	return c
}
