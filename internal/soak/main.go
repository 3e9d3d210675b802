// Command soak works on characters with several clients while servers, a worker and the
// database are killed in turn, and counts: edits that were acknowledged, lost, doubled;
// works and how they ended; how long answers took. It ends with 1 if anything was lost.
//
//	soak --seconds 600 --program bin/wisemarrow-server
//
// It has a database cluster of its own, in a temporary folder.
package main

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"math/rand/v2"
	"mime/multipart"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"syscall"
	"time"

	"wisemarrow/demo"
	"wisemarrow/formats/obj"
	"wisemarrow/store"
	"wisemarrow/studio"
)

func main() {
	seconds := flag.Int("seconds", 60, "how long to work")
	clients := flag.Int("clients", 6, "how many work at once")
	program := flag.String("program", "bin/wisemarrow-server", "the program")
	every := flag.Duration("every", 4*time.Second, "how often something is killed")
	flag.Parse()
	if err := run(*program, time.Duration(*seconds)*time.Second, *every, *clients); err != nil {
		fmt.Fprintln(os.Stderr, "soak:", err)
		os.Exit(1)
	}
}

// house is what is running.
type house struct {
	program string
	env     []string
	url     string
	mu      sync.Mutex
	procs   map[string]*exec.Cmd
	addrs   [2]string
	kills   map[string]int
}

func (h *house) script(args ...string) (string, error) {
	c := exec.Command("scripts/db.sh", args...)
	c.Env = h.env
	var out, errs bytes.Buffer
	c.Stdout, c.Stderr = &out, &errs
	if err := c.Run(); err != nil {
		return "", fmt.Errorf("scripts/db.sh %s: %w: %s", strings.Join(args, " "), err, errs.String())
	}
	return strings.TrimSpace(out.String()), nil
}

func (h *house) start(name string, args ...string) error {
	c := exec.Command(h.program, args...)
	c.Env = append(os.Environ(), "WISEMARROW_DATABASE="+h.url)
	if err := c.Start(); err != nil {
		return err
	}
	h.mu.Lock()
	defer h.mu.Unlock()
	h.procs[name] = c
	return nil
}

func (h *house) end(name string, how syscall.Signal) {
	h.mu.Lock()
	c := h.procs[name]
	h.mu.Unlock()
	if c == nil {
		return
	}
	_ = c.Process.Signal(how) // it may have ended by itself, which Wait tells
	_ = c.Wait()
}

// up starts what serves and works, and waits until it answers.
func (h *house) up(name string) error {
	if name == "worker" {
		return h.start(name, "worker", "--workers", "1")
	}
	addr := h.addrs[int(name[len(name)-1]-'1')]
	if err := h.start(name, "serve", "--addr", addr, "--workers", "0"); err != nil {
		return err
	}
	for range 100 {
		if r, err := http.Get("http://" + addr + "/healthz"); err == nil {
			r.Body.Close()
			if r.StatusCode == 200 {
				return nil
			}
		}
		time.Sleep(100 * time.Millisecond)
	}
	return fmt.Errorf("%s does not answer at %s", name, addr)
}

func freePort() (string, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return "", err
	}
	defer l.Close()
	return l.Addr().String(), nil
}

func run(program string, long, every time.Duration, clients int) error {
	dir, err := os.MkdirTemp("", "wisemarrow-soak-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	if err := os.Chmod(dir, 0o755); err != nil { // the database has a user of its own
		return err
	}
	if program, err = filepath.Abs(program); err != nil {
		return err
	}
	h := &house{program: program, procs: map[string]*exec.Cmd{}, kills: map[string]int{}}
	dbAddr, err := freePort()
	if err != nil {
		return err
	}
	_, port, _ := net.SplitHostPort(dbAddr)
	h.env = append(os.Environ(), "WISEMARROW_DATA="+dir, "WISEMARROW_DB_PORT="+port)
	if _, err := h.script("start"); err != nil {
		return err
	}
	defer func() { _, _ = h.script("drop") }()
	if h.url, err = h.script("url"); err != nil {
		return err
	}
	for i := range h.addrs {
		if h.addrs[i], err = freePort(); err != nil {
			return err
		}
	}
	for _, name := range []string{"server1", "server2", "worker"} {
		if err := h.up(name); err != nil {
			return err
		}
		defer h.end(name, syscall.SIGKILL)
	}
	s := &soak{h: h}
	ctx, stop := context.WithTimeout(context.Background(), long)
	defer stop()
	var wg sync.WaitGroup
	for i := range clients {
		if err := s.bring(i); err != nil {
			return err
		}
	}
	for i := range clients {
		wg.Go(func() { s.work(ctx, i) })
	}
	begin := time.Now()
	s.killing(ctx, every)
	wg.Wait()
	return s.count(time.Since(begin))
}

// soak is what the clients have done.
type soak struct {
	h          *house
	mu         sync.Mutex
	characters []string
	acked      map[string][]int64 // revisions by character
	sent       int
	unknown    int // answers that did not come
	stale      int
	works      []string
	took       []float64
	odd        []string // answers that should not be
}

func (s *soak) addr() string { return "http://" + s.h.addrs[rand.IntN(2)] }

// bring makes the character of a client: every third is one that takes long to bind.
func (s *soak) bring(i int) error {
	cell := 0.04
	if i%3 == 0 {
		cell = 0.012
	}
	m, _ := demo.Odile(cell)
	var form bytes.Buffer
	w := multipart.NewWriter(&form)
	part, err := w.CreateFormFile("file", fmt.Sprintf("odile_%d.obj", i))
	if err != nil {
		return err
	}
	if err := obj.Encode(part, m); err != nil {
		return err
	}
	if err := w.Close(); err != nil {
		return err
	}
	r, err := http.Post(s.addr()+"/api/characters", w.FormDataContentType(), &form)
	if err != nil {
		return err
	}
	defer r.Body.Close()
	var made struct{ ID, Error string }
	if err := json.NewDecoder(r.Body).Decode(&made); err != nil || made.ID == "" {
		return fmt.Errorf("bringing a mesh in: %s %w", made.Error, err)
	}
	s.characters = append(s.characters, made.ID)
	return nil
}

var client = &http.Client{Timeout: 15 * time.Second}

func (s *soak) head(id string) (int64, error) {
	r, err := client.Get(s.addr() + "/api/characters/" + id)
	if err != nil {
		return 0, err
	}
	defer r.Body.Close()
	var v struct{ Head int64 }
	if r.StatusCode != 200 {
		return 0, fmt.Errorf("status %d", r.StatusCode)
	}
	return v.Head, json.NewDecoder(r.Body).Decode(&v)
}

// work edits one character until the time is over: names of a part that tell which edit
// it was, and now and then a fit and a bind.
func (s *soak) work(ctx context.Context, i int) {
	id, name := s.characters[i], ""
	head := int64(0)
	for n := 0; ctx.Err() == nil; n++ {
		if head == 0 {
			var err error
			if head, err = s.head(id); err != nil {
				time.Sleep(100 * time.Millisecond)
				head = 0
				continue
			}
			name = "" // it may be another than was thought
		}
		op, params := "rename_part", map[string]any{"name": fmt.Sprintf("part_%d_%d", i, n)}
		if name == "" {
			var err error
			if name, err = s.partName(id); err != nil {
				time.Sleep(100 * time.Millisecond)
				continue
			}
		}
		params["part"] = name
		if n%25 == 10 {
			op, params = "fit_starter", map[string]any{"starter": "biped"}
		}
		if n%25 == 20 {
			op, params = "bind_heat", map[string]any{}
		}
		body, _ := json.Marshal(map[string]any{"op": op, "params": params, "base": head, "confirmed": true})
		begin := time.Now()
		r, err := client.Post(s.addr()+"/api/characters/"+id+"/ops", "application/json", bytes.NewReader(body))
		var out struct {
			Revision struct{ ID int64 }
			Work     struct{ ID string }
			Error    string
		}
		code := 0
		if err == nil {
			code = r.StatusCode
			err = json.NewDecoder(r.Body).Decode(&out)
			r.Body.Close()
		}
		s.mu.Lock()
		s.sent++
		switch {
		case err == nil && code == 200:
			if s.acked == nil {
				s.acked = map[string][]int64{}
			}
			s.acked[id] = append(s.acked[id], out.Revision.ID)
			s.took = append(s.took, float64(time.Since(begin).Milliseconds()))
			head, name = out.Revision.ID, params["name"].(string)
		case err == nil && code == 202:
			s.works = append(s.works, out.Work.ID)
			head = 0
		case err == nil && code == 409:
			s.stale++
			head = 0
		case err == nil && code == 422 && op == "bind_heat": // the fit was cut off: nothing to bind to
			head = 0
		case err == nil && code != 503:
			s.odd = append(s.odd, fmt.Sprintf("%s: %d %s", op, code, out.Error))
			head = 0
		default: // cut off: done or not, nobody knows
			s.unknown++
			head = 0
		}
		s.mu.Unlock()
		if code == 202 { // it is worked on; edits meanwhile would make it stale
			s.wait(ctx, out.Work.ID)
		}
		if head == 0 {
			time.Sleep(50 * time.Millisecond)
		}
	}
}

func (s *soak) partName(id string) (string, error) {
	r, err := client.Get(s.addr() + "/api/characters/" + id)
	if err != nil {
		return "", err
	}
	defer r.Body.Close()
	var v struct{ Parts []struct{ Name string } }
	if err := json.NewDecoder(r.Body).Decode(&v); err != nil {
		return "", err
	}
	if len(v.Parts) == 0 {
		return "", errors.New("no answer")
	}
	return v.Parts[0].Name, nil
}

// wait waits for a work to end, for a while.
func (s *soak) wait(ctx context.Context, work string) {
	db, err := store.Open(ctx, s.h.url)
	if err != nil {
		return
	}
	defer db.Close()
	for range 300 {
		w, err := db.Work(ctx, work)
		if ctx.Err() != nil || err == nil && w.State != studio.WorkQueued && w.State != studio.WorkRunning {
			return
		}
		time.Sleep(100 * time.Millisecond)
	}
}

// killing ends one after the other and starts it again.
func (s *soak) killing(ctx context.Context, every time.Duration) {
	order := []string{"server1", "worker", "database", "server2"}
	for i := 0; ; i++ {
		select {
		case <-ctx.Done():
			return
		case <-time.After(every):
		}
		name := order[i%len(order)]
		s.h.kills[name]++
		if name == "database" {
			if _, err := s.h.script("kill"); err != nil {
				s.note(err)
			}
			time.Sleep(300 * time.Millisecond)
			if _, err := s.h.script("start"); err != nil {
				s.note(err)
			}
			continue
		}
		how := syscall.SIGKILL
		if i/len(order)%2 == 1 {
			how = syscall.SIGTERM // now and then in peace
		}
		s.h.end(name, how)
		if err := s.h.up(name); err != nil {
			s.note(err)
		}
	}
}

func (s *soak) note(err error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.odd = append(s.odd, err.Error())
}

// count holds what was acknowledged against what is stored.
func (s *soak) count(took time.Duration) error {
	ctx, done := context.WithTimeout(context.Background(), 2*time.Minute)
	defer done()
	db, err := store.Open(ctx, s.h.url)
	if err != nil {
		return err
	}
	defer db.Close()
	acked, lost, doubled, unacked := 0, 0, 0, 0
	for _, id := range s.characters {
		c, err := db.Character(ctx, id)
		if err != nil {
			return err
		}
		line, err := db.Line(ctx, id, c.Tip)
		if err != nil {
			return err
		}
		has, names := map[int64]bool{}, map[string]int{}
		for _, r := range line {
			has[r.ID] = true
			if r.Op == "rename_part" {
				var p struct{ Name string }
				if err := json.Unmarshal(r.Params, &p); err != nil {
					return err
				}
				names[p.Name]++
			}
		}
		for _, n := range names {
			if n > 1 {
				doubled += n - 1
			}
		}
		for _, rev := range s.acked[id] {
			acked++
			if !has[rev] {
				lost++
			}
		}
		unacked += len(names) - len(s.acked[id])
	}
	var states map[string]int
	open := 0
	for deadline := time.Now().Add(time.Minute); ; time.Sleep(time.Second) {
		states, open = map[string]int{}, 0
		for _, id := range s.works {
			w, err := db.Work(ctx, id)
			if err != nil {
				return err
			}
			states[w.State]++
			if w.State == studio.WorkQueued || w.State == studio.WorkRunning {
				open++
			}
		}
		if open == 0 || time.Now().After(deadline) {
			break
		}
	}
	slices.Sort(s.took)
	at := func(share float64) float64 {
		if len(s.took) == 0 {
			return 0
		}
		return s.took[min(len(s.took)-1, int(share*float64(len(s.took))))]
	}
	kills := 0
	for _, n := range s.h.kills {
		kills += n
	}
	fmt.Printf("%.0f s, %d clients, %d kills (%v)\n", took.Seconds(), len(s.characters), kills, s.h.kills)
	fmt.Printf(
		"edits sent %d, acknowledged %d, lost %d, doubled %d; stored without an acknowledgement that arrived %d, cut off %d, too late %d\n",
		s.sent,
		acked,
		lost,
		doubled,
		unacked,
		s.unknown,
		s.stale,
	)
	fmt.Printf("works %d: %v\n", len(s.works), states)
	fmt.Printf("answers of acknowledged edits: median %.0f ms, p95 %.0f ms, longest %.0f ms\n", at(0.5), at(0.95), at(1))
	for _, x := range s.odd[:min(len(s.odd), 10)] {
		fmt.Println("odd:", x)
	}
	switch {
	case lost > 0 || doubled > 0:
		return fmt.Errorf("%d edits were lost and %d doubled", lost, doubled)
	case open > 0:
		return fmt.Errorf("%d works never ended", open)
	case len(s.odd) > 0:
		return fmt.Errorf("%d answers should not be", len(s.odd))
	case acked == 0:
		return errors.New("nothing was acknowledged, so nothing was tried")
	}
	_, _ = io.WriteString(os.Stdout, "Nothing that was acknowledged was lost.\n")
	return nil
}
