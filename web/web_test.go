package web_test

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"
	"time"

	"wisemarrow/demo"
	"wisemarrow/formats/obj"
	"wisemarrow/formats/reading"
	"wisemarrow/internal/testdb"
	_ "wisemarrow/stages" // all operations
	"wisemarrow/store"
	"wisemarrow/studio"
	"wisemarrow/web"

	"github.com/stretchr/testify/require"
)

func served(t *testing.T, limits reading.Limits) (*httptest.Server, *store.Store) {
	t.Helper()
	ctx := context.Background()
	s, err := store.Open(ctx, testdb.New(t))
	require.NoError(t, err)
	require.NoError(t, s.Migrate(ctx))
	x := studio.New(s, limits)
	listening, end := context.WithCancel(ctx)
	go s.Listen(listening, x.Wake)
	server := httptest.NewServer(web.Routes(x, s.Ping, nil))
	t.Cleanup(func() { end(); server.Close(); _ = s.Close() })
	return server, s
}

func upload(t *testing.T, server *httptest.Server, files map[string]string) (int, map[string]any) {
	t.Helper()
	var body bytes.Buffer
	form := multipart.NewWriter(&body)
	for name, text := range files {
		part, err := form.CreateFormFile("file", name)
		require.NoError(t, err)
		_, _ = io.WriteString(part, text)
	}
	require.NoError(t, form.Close())
	r, err := http.Post(server.URL+"/api/characters", form.FormDataContentType(), &body)
	require.NoError(t, err)
	return decode(t, r)
}

// form writes a form with fields and one file; it returns its content type.
func form(t *testing.T, to io.Writer, fields map[string]string, name, text string) string {
	t.Helper()
	w := multipart.NewWriter(to)
	for k, v := range fields {
		require.NoError(t, w.WriteField(k, v))
	}
	part, err := w.CreateFormFile("file", name)
	require.NoError(t, err)
	_, _ = io.WriteString(part, text)
	require.NoError(t, w.Close())
	return w.FormDataContentType()
}

func decode(t *testing.T, r *http.Response) (int, map[string]any) {
	t.Helper()
	defer r.Body.Close()
	out := map[string]any{}
	require.NoError(t, json.NewDecoder(r.Body).Decode(&out))
	return r.StatusCode, out
}

func post(t *testing.T, server *httptest.Server, path string, body any) (int, map[string]any) {
	t.Helper()
	data, err := json.Marshal(body)
	require.NoError(t, err)
	r, err := http.Post(server.URL+path, "application/json", bytes.NewReader(data))
	require.NoError(t, err)
	return decode(t, r)
}

func get(t *testing.T, server *httptest.Server, path string) (int, string, http.Header) {
	t.Helper()
	r, err := http.Get(server.URL + path)
	require.NoError(t, err)
	defer r.Body.Close()
	data, err := io.ReadAll(r.Body)
	require.NoError(t, err)
	return r.StatusCode, string(data), r.Header
}

func odile(t *testing.T) string {
	var b strings.Builder
	m, _ := demo.Odile(0.02)
	require.NoError(t, obj.Encode(&b, m))
	return b.String()
}

func TestFromUploadToHandoff(t *testing.T) {
	server, _ := served(t, reading.Default)
	code, page, _ := get(t, server, "/")
	require.Equal(t, 200, code)
	require.Contains(t, page, "No cast yet")
	code, made := upload(t, server, map[string]string{"odile.obj": odile(t)})
	require.Equal(t, http.StatusCreated, code, made)
	id := made["id"].(string)
	head := func() float64 {
		_, text, _ := get(t, server, "/api/characters/"+id)
		var v map[string]any
		require.NoError(t, json.Unmarshal([]byte(text), &v))
		return v["head"].(float64)
	}
	for _, st := range studio.Stages() {
		stage := st.Name
		for _, path := range []string{"/characters/" + id + "/" + stage, "/characters/" + id + "/tray/" + stage} {
			code, page, _ = get(t, server, path)
			require.Equal(t, 200, code, path)
			require.NotContains(t, page, "<no value>")
		}
	}
	for _, op := range []string{"fit_starter", "set_axes", "bind_heat"} {
		code, out := post(t, server, "/api/characters/"+id+"/ops", map[string]any{"op": op, "base": head()})
		require.Equal(t, 200, code, out)
	}
	for _, st := range studio.Stages() {
		stage := st.Name
		code, page, _ = get(t, server, "/characters/"+id+"/tray/"+stage)
		require.Equal(t, 200, code)
		require.Contains(t, page, "<h2>")
	}
	for _, bad := range []string{"abc", "0", "-1", "17", "4.5"} {
		code, text, _ := get(t, server, "/characters/"+id+"/handoff/glb?influences="+bad)
		require.Equal(t, http.StatusUnprocessableEntity, code, bad)
		require.Contains(t, text, "1 to 16")
	}
	code, glb, h := get(t, server, "/characters/"+id+"/handoff/glb?influences=4")
	require.Equal(t, 200, code)
	require.True(t, strings.HasPrefix(glb, "glTF"))
	require.Contains(t, h.Get("Content-Disposition"), "odile.glb")
	rev := fmt.Sprintf("%.0f", head())
	for _, path := range []string{"/view/mesh/" + rev, "/view/weights/" + rev, "/view/thumbnail/" + rev} {
		code, _, h = get(t, server, path)
		require.Equal(t, 200, code, path)
		require.Contains(t, h.Get("Cache-Control"), "immutable")
	}
	code, out := post(t, server, "/api/characters/"+id+"/undo", map[string]any{"base": head()})
	require.Equal(t, 200, code, out)
	code, page, _ = get(t, server, "/")
	require.Equal(t, 200, code)
	require.Contains(t, page, "odile")
}

func TestErrorsSayWhatAndWhere(t *testing.T) {
	server, s := served(t, reading.Limits{Bytes: 2 << 20, Vertices: 20000})
	for _, c := range []struct {
		files map[string]string
		code  int
		want  string
	}{
		{map[string]string{"a.obj": "v 1 2\n"}, 422, "a.obj: line 1"},
		{map[string]string{"a.txt": "hello"}, 422, "no mesh among"},
		{map[string]string{"a.gltf": `{"asset":{"version":"2.0"},"buffers":[{"byteLength":4,"uri":"a.bin"}]}`}, 422, "beside"},
		{map[string]string{"a.obj": strings.Repeat("# long\n", 1<<19)}, 413, "limit of 2 MB"},
	} {
		code, out := upload(t, server, c.files)
		require.Equal(t, c.code, code, out)
		require.Contains(t, out["error"], c.want)
	}
	list, err := s.Characters(context.Background())
	require.NoError(t, err)
	require.Empty(t, list, "nothing half made is left")
	code, made := upload(t, server, map[string]string{"cube.obj": "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n"})
	require.Equal(t, 201, code)
	api := "/api/characters/" + made["id"].(string)
	code, out := post(t, server, api+"/ops", map[string]any{"op": "drop_loose", "base": 999999})
	require.Equal(t, http.StatusConflict, code)
	require.Contains(t, out["error"], "reload")
	require.NotZero(t, out["head"])
	code, out = post(t, server, api+"/ops", map[string]any{"op": "fly", "base": out["head"]})
	require.Equal(t, 422, code)
	require.Contains(t, out["error"], "fly")
	code, page, _ := get(t, server, "/characters/nobody/intake")
	require.Equal(t, 404, code)
	require.Contains(t, page, "Back to the cast")
	for _, path := range []string{"/api/characters/nobody", "/view/mesh/abc", "/view/mesh/77777", api + "/where/intake/nothing", api + "/probe/x"} {
		code, _, _ := get(t, server, path)
		require.Contains(t, []int{404, 422}, code, path)
	}
	require.NoError(t, s.Close())
	code, text, _ := get(t, server, "/readyz")
	require.GreaterOrEqual(t, code, 500)
	require.Contains(t, text, "error")
}

func TestAnotherSiteCannotPost(t *testing.T) {
	server, _ := served(t, reading.Default)
	r, err := http.NewRequest("POST", server.URL+"/api/author", strings.NewReader(`{"name":"x"}`))
	require.NoError(t, err)
	r.Header.Set("Sec-Fetch-Site", "cross-site")
	got, err := http.DefaultClient.Do(r)
	require.NoError(t, err)
	require.Equal(t, http.StatusForbidden, got.StatusCode)
}

// One stream tells of all the characters that the tabs of a browser show.
func TestEventsTellNewHeadsOfSeveralCharacters(t *testing.T) {
	server, _ := served(t, reading.Default)
	var ids []string
	for range 3 {
		_, made := upload(t, server, map[string]string{"cube.obj": "v 0 0 0\nv 1 0 0\nv 0 1 0\nv 5 5 5\nf 1 2 3\n"})
		ids = append(ids, made["id"].(string))
	}
	ctx, cancel := context.WithTimeout(context.Background(), 30*time.Second)
	defer cancel()
	r, err := http.NewRequestWithContext(
		ctx,
		"GET",
		server.URL+"/api/events?"+url.Values{"character": {ids[0], ids[1], "none"}}.Encode(),
		nil,
	)
	require.NoError(t, err)
	stream, err := http.DefaultClient.Do(r)
	require.NoError(t, err)
	defer stream.Body.Close()
	require.Equal(t, "text/event-stream", stream.Header.Get("Content-Type"))
	lines := bufio.NewScanner(stream.Body)
	type news struct {
		Character, Trouble string
		Head               int64
	}
	next := func() (n news) {
		for lines.Scan() {
			if text, ok := strings.CutPrefix(lines.Text(), "data: "); ok {
				require.NoError(t, json.Unmarshal([]byte(text), &n))
				return n
			}
		}
		require.NoError(t, lines.Err())
		require.Fail(t, "the stream ended")
		return n
	}
	first, second, gone := next(), next(), next()
	require.Equal(t, []string{ids[0], ids[1], "none"}, []string{first.Character, second.Character, gone.Character})
	require.Contains(t, gone.Trouble, "Not found")
	for _, id := range []string{ids[2], ids[1]} { // of the third nothing is told
		var c struct{ Head int64 }
		_, body, _ := get(t, server, "/api/characters/"+id)
		require.NoError(t, json.Unmarshal([]byte(body), &c))
		code, out := post(t, server, "/api/characters/"+id+"/ops", map[string]any{"op": "drop_loose", "base": c.Head})
		require.Equal(t, 200, code, out)
	}
	// The notices of the uploads may come after the stream has begun, and tell what it has told once more.
	told := next()
	for told == first || told == second {
		told = next()
	}
	require.Equal(t, ids[1], told.Character)
	require.Greater(t, told.Head, second.Head)

	// A change and its undo, both before the next news: a page that made the change hears that it is undone.
	for range 2 {
		code, out := post(t, server, "/api/characters/"+ids[1]+"/undo", map[string]any{"base": told.Head})
		require.Equal(t, 200, code, out)
		code, out = post(t, server, "/api/characters/"+ids[1]+"/redo", map[string]any{"base": second.Head})
		require.Equal(t, 200, code, out)
		for again := next(); again.Head != told.Head; again = next() {
			require.True(t, again.Character == ids[1] || again == first)
		}
	}

	for _, query := range []string{"", strings.Repeat("character=a&", 41)} {
		code, body, _ := get(t, server, "/api/events?"+query)
		require.Equal(t, http.StatusUnprocessableEntity, code)
		require.Contains(t, body, "1 to 40 characters")
	}
}

// What Placement asks before anything is changed: a starter's joints,
// and how another skeleton pairs with one's own.
func TestStartersAndMatchesAreAnsweredAndRefused(t *testing.T) {
	server, _ := served(t, reading.Default)
	code, made := upload(t, server, map[string]string{"odile.obj": odile(t)})
	require.Equal(t, http.StatusCreated, code, made)
	at := "/api/characters/" + made["id"].(string)
	ask := func(path, params string) (int, string) {
		code, body, _ := get(t, server, at+path+url.QueryEscape(params))
		return code, body
	}
	for _, n := range []int{3, 9} {
		r, err := http.Post(
			server.URL+at+"/starter",
			"application/json",
			strings.NewReader(fmt.Sprintf(`{"starter":"chain","count":%d}`, n)),
		)
		require.NoError(t, err)
		require.Equal(t, http.StatusOK, r.StatusCode)
		var list []struct {
			Name string
			Pos  [3]float64
		}
		require.NoError(t, json.NewDecoder(r.Body).Decode(&list))
		require.NoError(t, r.Body.Close())
		require.Len(t, list, n+1)
	}
	for params, want := range map[string]string{`{"starter":"centaur"}`: "no starter", `{"starter":"chain","count":1}`: "count", `{`: "cannot be read", `{"starter":"biped","horns":2}`: "horns"} {
		r, err := http.Post(server.URL+at+"/starter", "application/json", strings.NewReader(params))
		require.NoError(t, err)
		code, out := decode(t, r)
		require.Equal(t, http.StatusUnprocessableEntity, code, params)
		require.Contains(t, out["error"], want)
	}
	code, body := ask("/match?from=", "nobody")
	require.Equal(t, http.StatusNotFound, code, body)
	code, body = ask("/match?from=", made["id"].(string))
	require.Equal(t, http.StatusUnprocessableEntity, code)
	require.Contains(t, body, "no skeleton yet")

	send := func(name, text string) (int, map[string]any) {
		var form bytes.Buffer
		w := multipart.NewWriter(&form)
		part, err := w.CreateFormFile("file", name)
		require.NoError(t, err)
		_, _ = io.WriteString(part, text)
		require.NoError(t, w.Close())
		r, err := http.Post(server.URL+at+"/match", w.FormDataContentType(), &form)
		require.NoError(t, err)
		return decode(t, r)
	}
	code, out := send(
		"a.bvh",
		"HIERARCHY\nROOT hips\n{\nOFFSET 0 1 0\nCHANNELS 0\nEnd Site\n{\nOFFSET 0 0.1 0\n}\n}\nMOTION\nFrames: 0\nFrame Time: 0.1\n",
	)
	require.Equal(t, http.StatusOK, code, out)
	require.Len(t, out["theirs"], 2)
	code, out = send("a.bvh", "HIERARCHY\nROOT hips\n{\nOFFSET 0 high 0\n")
	require.Equal(t, http.StatusUnprocessableEntity, code)
	require.Contains(t, out["error"], "line 4")
	code, out = send("a.txt", "joints")
	require.Equal(t, http.StatusUnprocessableEntity, code)
	require.Contains(t, out["error"], "no skeleton among")
}
