package main

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"slices"
	"strings"
	"time"

	"wisemarrow/core/health"
	"wisemarrow/core/mesh"
	"wisemarrow/demo"
	"wisemarrow/formats/reading"
	"wisemarrow/internal/hostile"
	_ "wisemarrow/stages" // all operations
	"wisemarrow/stages/intake"
	"wisemarrow/store"
	"wisemarrow/studio"
	"wisemarrow/web"

	"github.com/jackc/pgx/v5"
)

// unwelded checks and mends scans of which every triangle has corners of its own.
func unwelded() error {
	fmt.Println("Scans that were never welded (ms; growth is the exponent of the check)")
	fmt.Printf("%9s %9s %8s %7s %8s %8s\n", "vertices", "pieces", "check", "growth", "mend", "MB")
	n0, t0 := 0, 0.0
	for _, cell := range []float64{0.03, 0.0174, 0.0135, 0.0095, 0.0062} {
		m, _ := demo.Odile(cell)
		scan := &mesh.Mesh{Parts: []mesh.Part{mesh.NewPart("scan")}}
		tris, _ := m.Triangles()
		for _, t := range tris {
			n := int32(len(scan.Points))
			scan.Points = append(scan.Points, m.Points[t[0]], m.Points[t[1]], m.Points[t[2]])
			scan.AddFace(0, n, n+1, n+2)
		}
		var check, mend time.Duration
		pieces := 0
		_, mb, err := peak(func() error {
			begin := time.Now()
			facts, _, _ := health.Check(context.Background(), scan.Surface(), "biped")
			pieces = facts.Pieces
			check = time.Since(begin)
			begin = time.Now()
			_, _, err := (&intake.MendSafe{}).Apply(
				context.Background(),
				studio.State{Mesh: scan, Settings: studio.DefaultSettings()},
				func(string, float64) {},
			)
			mend = time.Since(begin)
			return err
		})
		if err != nil {
			return err
		}
		t := float64(check.Milliseconds())
		fmt.Printf(
			"%9d %9d %8.0f %7s %8d %8.0f\n",
			len(scan.Points),
			pieces,
			t,
			slope(n0, len(scan.Points), t0, t),
			mend.Milliseconds(),
			mb,
		)
		n0, t0 = len(scan.Points), t
	}
	return nil
}

// hostileSpeed checks and mends meshes that were made to be slow: as large as a file of
// about 5 MB, and a tenth.
func hostileSpeed() error {
	fmt.Println("Meshes made to be slow (ms; what was not measured to the end)")
	fmt.Printf("%24s %9s %8s %7s %8s %8s  %s\n", "", "vertices", "check", "growth", "mend", "MB", "said to be unfinished")
	for _, name := range slices.Sorted(maps.Keys(hostile.Meshes)) {
		n0, t0 := 0, 0.0
		for _, n := range []int{17_000, 170_000} {
			m := hostile.Meshes[name](n)
			var check, mend time.Duration
			var unfinished []string
			_, mb, err := peak(func() error {
				begin := time.Now()
				_, list, err := health.Check(context.Background(), m.Surface(), "")
				check = time.Since(begin)
				for _, f := range list {
					if what, ok := strings.CutPrefix(f.Code, "unfinished_"); ok {
						unfinished = append(unfinished, what)
					}
				}
				begin = time.Now()
				_, _, _ = (&intake.MendSafe{}).Apply(
					context.Background(),
					studio.State{Mesh: m, Settings: studio.DefaultSettings()},
					func(string, float64) {},
				) // some leave nothing, and are refused
				mend = time.Since(begin)
				return err
			})
			if err != nil {
				return err
			}
			t := float64(check.Milliseconds())
			fmt.Printf(
				"%24s %9d %8.0f %7s %8d %8.0f  %s\n",
				name,
				len(m.Points),
				t,
				slope(n0, len(m.Points), t0, t),
				mend.Milliseconds(),
				mb,
				strings.Join(unfinished, ", "),
			)
			n0, t0 = len(m.Points), t
		}
	}
	return nil
}

// emptyStore makes a database on the server that WISEMARROW_BENCH_DATABASE names; end
// drops it. It is nil without such a server.
func emptyStore(ctx context.Context) (s *store.Store, end func(), err error) {
	admin := os.Getenv("WISEMARROW_BENCH_DATABASE")
	if admin == "" {
		fmt.Println("Not measured: WISEMARROW_BENCH_DATABASE names no database server")
		return nil, nil, nil
	}
	conn, err := pgx.Connect(ctx, admin)
	if err != nil {
		return nil, nil, err
	}
	drop := func() error {
		// Not "with (force)", which is refused while the server cleans up in there.
		if _, err := conn.Exec(ctx, "select pg_terminate_backend(pid, 5000) from pg_stat_activity where datname = 'wisemarrow_bench' and usename = current_user"); err != nil {
			return err
		}
		_, err := conn.Exec(ctx, "drop database if exists wisemarrow_bench")
		return err
	}
	if err := drop(); err != nil {
		return nil, nil, err
	}
	if _, err := conn.Exec(ctx, "create database wisemarrow_bench"); err != nil {
		return nil, nil, err
	}
	u, err := url.Parse(admin)
	if err != nil {
		return nil, nil, err
	}
	u.Path = "/wisemarrow_bench"
	if s, err = store.Open(ctx, u.String()); err != nil {
		return nil, nil, err
	}
	return s, func() { _ = s.Close(); _ = drop(); _ = conn.Close(ctx) }, s.Migrate(ctx)
}

// hands measures what a person waits for: opening, moving a joint, undo, the cast. It
// wants a database server, in WISEMARROW_BENCH_DATABASE.
func hands() error {
	ctx := context.Background()
	s, end, err := emptyStore(ctx)
	if s == nil || err != nil {
		return err
	}
	defer end()
	h := &hand{s: s}
	h.fresh()
	defer h.server.Close()
	m, sk := demo.Odile(0.0123)
	c, err := h.x.Add(
		ctx,
		studio.Character{Production: "Bench", Name: "Odile"},
		"bench",
		studio.State{Mesh: m, Skeleton: sk, Settings: studio.DefaultSettings()},
		"made",
	)
	if err != nil {
		return err
	}
	r, _, err := h.x.Do(ctx, c.ID, c.Head, "bind_heat", nil, "bench")
	if err != nil {
		return err
	}
	fmt.Printf(
		"What hands wait for, over HTTP on loopback: %d vertices, %d joints, bound (ms, median of 20)\n",
		len(m.Points),
		len(sk.Joints),
	)
	fmt.Printf("%-54s %8s %9s\n", "", "ms", "kB")
	api := "/api/characters/" + c.ID
	head := r.ID
	at := sk.Joints[sk.Index("hand_l")].Pos
	move := func(k int) (time.Duration, int, error) {
		to := []float64{at.X, at.Y + 0.0001*float64(k+1), at.Z}
		var out struct{ Revision struct{ ID int64 } }
		took, n, err := h.post(
			api+"/ops",
			map[string]any{
				"op":     "move_joint",
				"base":   head,
				"stage":  "placement",
				"params": map[string]any{"joint": []string{"hand_l", "hand_r"}[k%2], "to": to, "both": false},
			},
			&out,
		)
		if err == nil {
			head = out.Revision.ID
		}
		return took, n, err
	}
	rows := []struct {
		name string
		do   func(k int) (time.Duration, int, error)
	}{
		{"open it, all that the page shows", func(int) (time.Duration, int, error) { return h.get(api + "?stage=placement") }},
		{"move a joint: answer with what changed, panel and all", move},
		{"its weights, all joints", func(int) (time.Duration, int, error) { return h.get(fmt.Sprintf("/view/weights/%d", head)) }},
		{"its weights, one joint", func(int) (time.Duration, int, error) { return h.get(fmt.Sprintf("/view/weights/%d/hand_l", head)) }},
	}
	for _, row := range rows {
		if err := h.row(row.name, row.do); err != nil {
			return err
		}
	}
	for k := range 2100 { // small moves, each a revision
		if r, _, err = h.x.Do(ctx, c.ID, head, "move_joint", json.RawMessage(fmt.Sprintf(`{"joint":%q,"to":[%g,%g,%g],"both":false}`, []string{"hand_l", "hand_r"}[k%2], at.X, at.Y+1e-5*float64(k), at.Z)),
			"bench"); err != nil {
			return err
		}
		head = r.ID
	}
	rows[0].name, rows[1].name = "open it after 2,100 small moves", "move a joint then"
	for _, row := range rows[:2] {
		if err := h.row(row.name, row.do); err != nil {
			return err
		}
	}
	back := func(which string) func(int) (time.Duration, int, error) {
		return func(int) (time.Duration, int, error) {
			var out struct{ Revision struct{ ID int64 } }
			took, n, err := h.post(api+"/"+which, map[string]any{"base": head, "stage": "placement"}, &out)
			head = out.Revision.ID
			return took, n, err
		}
	}
	for _, row := range []struct {
		name string
		do   func(int) (time.Duration, int, error)
	}{{"undo then", back("undo")}, {"redo then", back("redo")}, {"a page of the history then", func(int) (time.Duration, int, error) { return h.get(api + "/history") }}} {
		if err := h.row(row.name, row.do); err != nil {
			return err
		}
	}
	return h.cast(ctx)
}

// cast measures the page of thirty characters: known, and to a server that has just
// started.
func (h *hand) cast(ctx context.Context) error {
	for k := range 29 {
		m, _ := demo.Odile(0.0123 + 0.0002*float64(k))
		c, err := h.x.Add(
			ctx,
			studio.Character{Production: "Bench", Name: fmt.Sprintf("Odile %d", k)},
			"bench",
			studio.State{Mesh: m, Settings: studio.DefaultSettings()},
			"made",
		)
		if err != nil {
			return err
		}
		if k%2 == 0 { // half of them were looked at before
			if _, _, err := h.get("/characters/" + c.ID + "/card"); err != nil {
				return err
			}
		}
	}
	list, err := h.s.Characters(ctx)
	if err != nil {
		return err
	}
	h.fresh() // nothing in memory
	took, n, err := h.get("/")
	if err != nil {
		return err
	}
	fmt.Printf("%-54s %8.1f %9.1f\n", "cast of 30, server just started, half never looked at", ms(took), float64(n)/1e3)
	begin := time.Now()
	for _, c := range list {
		if _, _, err := h.get("/characters/" + c.ID + "/card"); err != nil {
			return err
		}
		if _, _, err := h.get(fmt.Sprintf("/view/thumbnail/%d", c.Head)); err != nil {
			return err
		}
	}
	fmt.Printf("%-54s %8.1f\n", "its cards and portraits filled in, one by one", ms(time.Since(begin)))
	h.fresh()
	begin = time.Now()
	if _, _, err := h.get("/"); err != nil {
		return err
	}
	for _, c := range list {
		if _, _, err := h.get(fmt.Sprintf("/view/thumbnail/%d", c.Head)); err != nil {
			return err
		}
	}
	fmt.Printf("%-54s %8.1f\n", "cast of 30 with all portraits, server just started", ms(time.Since(begin)))
	return nil
}

// hand is a client and the server that it talks to.
type hand struct {
	s      *store.Store
	x      *studio.Studio
	server *httptest.Server
}

// fresh starts the server anew, with nothing in its memory.
func (h *hand) fresh() {
	if h.server != nil {
		h.server.Close()
	}
	h.x = studio.New(h.s, reading.Default)
	h.server = httptest.NewServer(web.Routes(h.x, h.s.Ping, nil))
}

func ms(d time.Duration) float64 { return float64(d.Microseconds()) / 1000 }

// row prints the median of twenty calls.
func (h *hand) row(name string, do func(k int) (time.Duration, int, error)) error {
	var all []float64
	bytes := 0
	for k := range 20 {
		took, n, err := do(k)
		if err != nil {
			return fmt.Errorf("%s: %w", name, err)
		}
		all = append(all, ms(took))
		bytes = n
	}
	slices.Sort(all)
	fmt.Printf("%-54s %8.1f %9.1f\n", name, all[len(all)/2], float64(bytes)/1e3)
	return nil
}

func (h *hand) get(path string) (time.Duration, int, error) {
	begin := time.Now()
	r, err := http.Get(h.server.URL + path)
	return h.answer(begin, r, err, nil)
}

func (h *hand) post(path string, body, into any) (time.Duration, int, error) {
	data, err := json.Marshal(body)
	if err != nil {
		return 0, 0, err
	}
	begin := time.Now()
	r, err := http.Post(h.server.URL+path, "application/json", bytes.NewReader(data))
	return h.answer(begin, r, err, into)
}

func (h *hand) answer(begin time.Time, r *http.Response, err error, into any) (time.Duration, int, error) {
	if err != nil {
		return 0, 0, err
	}
	defer r.Body.Close()
	data, err := io.ReadAll(r.Body)
	took := time.Since(begin)
	if err != nil {
		return took, len(data), err
	}
	if r.StatusCode >= 400 {
		return took, len(data), fmt.Errorf("%s: %s", r.Status, strings.TrimSpace(string(data)))
	}
	if into != nil {
		err = json.Unmarshal(data, into)
	}
	return took, len(data), err
}
