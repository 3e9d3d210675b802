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
	"path/filepath"
	"strings"
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

// databaseURL is the default database: what the environment says, itself or in a file, or
// else what the project's own scripts start from this folder.
func databaseURL() (string, error) {
	if u := os.Getenv("WISEMARROW_DATABASE"); u != "" {
		return u, nil
	}
	file, named := os.LookupEnv("WISEMARROW_DATABASE_FILE")
	if !named {
		file = filepath.Join(".data", "database-url")
	}
	text, err := os.ReadFile(file)
	switch {
	case err == nil && strings.TrimSpace(string(text)) != "":
		return strings.TrimSpace(string(text)), nil
	case named:
		return "", fmt.Errorf("WISEMARROW_DATABASE_FILE names %s, which holds no database: %w", file, err)
	}
	return "", errors.New(
		"no database is named: --database, WISEMARROW_DATABASE or WISEMARROW_DATABASE_FILE; `make db` starts the project's own",
	)
}

// addDatabase adds the flag. The default is found when the command runs: as the flag's
// own it would be printed by --help, with its password.
func addDatabase(c *cobra.Command, url *string) {
	c.Flags().
		StringVar(url, "database", "", "PostgreSQL URL (default: WISEMARROW_DATABASE, the file that WISEMARROW_DATABASE_FILE names, or the project's own)")
	c.PreRunE = func(*cobra.Command, []string) (err error) {
		if *url == "" {
			*url, err = databaseURL()
		}
		return err
	}
}

// boundMemory makes the garbage collector work harder before the machine, or the
// container, runs out, unless GOMEMLIMIT says otherwise.
func boundMemory() {
	quiet := memlimit.WithLogger(slog.New(slog.DiscardHandler))
	if _, err := memlimit.Set(memlimit.WithRatio(0.8), quiet,
		memlimit.WithProvider(memlimit.ApplyFallback(memlimit.FromCgroup, memlimit.FromSystem))); err != nil {
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
	if err := queue.Migrate(ctx, s.Pool()); err != nil {
		s.Close()
		return nil, nil, err
	}
	return s, studio.New(s, limits), nil
}

func interrupted() (context.Context, context.CancelFunc) {
	return signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
}

func serveCommand() *cobra.Command {
	var url, addr, metricsAddr string
	var hosts []string
	var in signInFlags
	var workers, megabytes, vertices int
	c := &cobra.Command{
		Use:   "serve",
		Short: "Serve the workbench, and do long work in the same process",
		Example: `  wisemarrow-server serve --addr 127.0.0.1:8470
  wisemarrow-server serve --workers 0     # leave long work to wisemarrow-server worker
  wisemarrow-server serve --addr 0.0.0.0:8470 --tls-cert cert.pem --tls-key key.pem --host marrow.studio.example
  wisemarrow-server serve --sign-in --behind-tls --proxy 127.0.0.1 --host marrow.studio.example     # behind a proxy`,
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
			access, err := in.signInFor(ctx, addr, s)
			if err != nil {
				return err
			}
			q, err := queue.New(s.Pool(), x, s, workers)
			if err != nil {
				return err
			}
			s.Use(q)
			x.Queued()
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
			site := web.Routes(x, s.Ping, access)
			if metricsAddr != "" {
				all, err := metrics(s)
				if err != nil {
					return err
				}
				site = web.Counted(all, site)
				if err := serveMetrics(ctx, metricsAddr, all); err != nil {
					return err
				}
			}
			server := &http.Server{
				Handler:           web.Known(hosts, site),
				ReadHeaderTimeout: 10 * time.Second,
				IdleTimeout:       2 * time.Minute,
				MaxHeaderBytes:    64 << 10,
				BaseContext:       func(net.Listener) context.Context { return context.WithoutCancel(ctx) },
			}
			server.RegisterOnShutdown(x.EndWatch)
			stopped := make(chan struct{})
			go func() {
				<-ctx.Done()
				end(server, q)
				close(stopped)
			}()
			how := "http"
			if in.cert != "" {
				how = "https"
			}
			fmt.Printf("Wise Marrow is at %s://%s\n", how, listener.Addr())
			if in.cert != "" {
				err = server.ServeTLS(listener, in.cert, in.key)
			} else {
				err = server.Serve(listener)
			}
			if !errors.Is(err, http.ErrServerClosed) {
				return err
			}
			<-stopped
			return nil
		},
	}
	addDatabase(c, &url)
	c.Flags().StringVar(&addr, "addr", "127.0.0.1:8470", "address to listen on")
	c.Flags().StringSliceVar(&hosts, "host", nil, "a further name that browsers reach it by, besides addresses and localhost")
	in.add(c)
	c.Flags().StringVar(&metricsAddr, "metrics", "", "address on which Prometheus finds /metrics, not for the public")
	c.Flags().IntVar(&workers, "workers", 2, "long works done at a time in this process")
	c.Flags().IntVar(&megabytes, "max-megabytes", int(reading.Default.Bytes>>20), "largest file accepted")
	c.Flags().IntVar(&vertices, "max-vertices", reading.Default.Vertices, "most vertices accepted")
	return c
}

// answerWithin is how long requests may still take when the server is told to stop, and
// stopWithin how long all of it takes at most.
const (
	answerWithin = 5 * time.Second
	stopWithin   = 10 * time.Second
)

// end stops a server: what was received is answered, long work goes back to the queue at
// once, for another process to go on with.
func end(server *http.Server, q *queue.Queue) {
	within, done := context.WithTimeout(context.Background(), stopWithin)
	defer done()
	returned := make(chan struct{})
	go func() { q.Stop(within); close(returned) }()
	answers, late := context.WithTimeout(within, answerWithin)
	defer late()
	if err := server.Shutdown(answers); err != nil {
		_ = server.Close()
	}
	<-returned
}
