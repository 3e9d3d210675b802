package web_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"net/http/httptest"
	"regexp"
	"strings"
	"testing"

	"wisemarrow/demo"
	"wisemarrow/formats/bundle"
	"wisemarrow/formats/obj"
	"wisemarrow/formats/reading"
	"wisemarrow/internal/hostile"
	"wisemarrow/internal/need"

	"github.com/stretchr/testify/require"
)

// flawed is Odile with a lost vertex and a face that is one already, as a file.
func flawed(t *testing.T) string {
	t.Helper()
	var b strings.Builder
	m, _ := demo.Odile(0.02)
	require.NoError(t, obj.Encode(&b, m))
	return b.String() + "v 0 5 0\nf 1 2 2\n"
}

// What would be done is told beforehand and changes nothing; done, it can be undone
// and redone, and the history tells all of it.
func TestWhatIsTriedUndoneAndRedone(t *testing.T) {
	server, _ := served(t, reading.Default)
	id, _ := brought(t, server, flawed(t))
	at := "/api/characters/" + id
	state := func() (s struct {
		Head       float64
		Undo, Redo string
		Facts      struct{ Vertices float64 }
	}) {
		code, text, _ := get(t, server, at)
		require.Equal(t, http.StatusOK, code)
		require.NoError(t, json.Unmarshal([]byte(text), &s))
		return s
	}
	first := state()
	code, tried := post(t, server, at+"/preview", map[string]any{"op": "drop_loose", "params": map[string]any{}})
	require.Equal(t, http.StatusOK, code, tried)
	require.Equal(t, first.Facts.Vertices-1, tried["after"].(map[string]any)["vertices"])
	require.Equal(t, first, state(), "nothing is changed")
	code, tried = post(t, server, at+"/preview", map[string]any{"op": "bind_heat", "params": map[string]any{}})
	require.Equal(t, http.StatusUnprocessableEntity, code)
	require.Contains(t, tried["error"], "too slow")

	code, done := post(t, server, at+"/ops", map[string]any{"op": "drop_loose", "base": first.Head})
	require.Equal(t, http.StatusOK, code, done)
	second := state()
	require.Equal(t, first.Facts.Vertices-1, second.Facts.Vertices)
	require.NotEmpty(t, second.Undo)
	code, out := post(t, server, at+"/undo", map[string]any{"base": first.Head})
	require.Equal(t, http.StatusConflict, code, out)
	code, out = post(t, server, at+"/undo", map[string]any{"base": second.Head})
	require.Equal(t, http.StatusOK, code, out)
	back := state()
	require.Equal(t, first.Head, back.Head)
	require.NotEmpty(t, back.Redo)
	code, out = post(t, server, at+"/undo", map[string]any{"base": back.Head})
	require.Equal(t, http.StatusUnprocessableEntity, code)
	require.Contains(t, out["error"], "nothing to undo")
	code, out = post(t, server, at+"/redo", map[string]any{"base": back.Head})
	require.Equal(t, http.StatusOK, code, out)
	require.Equal(t, second, state())
	code, out = post(t, server, at+"/redo", map[string]any{"base": second.Head})
	require.Equal(t, http.StatusUnprocessableEntity, code)
	require.Contains(t, out["error"], "nothing to redo")
	for _, path := range []string{"/undo", "/redo", "/ops", "/preview"} {
		r, err := http.Post(server.URL+at+path, "application/json", strings.NewReader("{"))
		require.NoError(t, err)
		code, out := decode(t, r)
		require.Equal(t, http.StatusUnprocessableEntity, code, path)
		require.Contains(t, out["error"], "cannot be read")
	}

	_, text, _ := get(t, server, at+"/history")
	var page struct {
		Revisions []struct {
			Op, Author string
			Outcome    struct{ Sentence string }
		}
		More bool
	}
	require.NoError(t, json.Unmarshal([]byte(text), &page))
	history := page.Revisions
	require.False(t, page.More)
	require.Equal(t, []string{"drop_loose", "import"}, []string{history[0].Op, history[1].Op})
	require.Contains(t, history[1].Outcome.Sentence, "odile.obj")
	require.Equal(t, "Rigger", history[0].Author)
}

// The places of findings, the report to print, the subdivided surface and the
// movers of a vertex.
func TestWhatAPageAsksBesides(t *testing.T) {
	need.Time(t)
	server, _ := served(t, reading.Default)
	id, head := brought(t, server, flawed(t))
	at := "/api/characters/" + id
	_, tray, _ := get(t, server, "/characters/"+id+"/tray/intake")
	require.Contains(t, tray, `data-code="loose_vertices"`)
	code, where, _ := get(t, server, at+"/where/intake/loose_vertices")
	require.Equal(t, http.StatusOK, code, where)
	require.Contains(t, where, `"vertices":[`)
	code, page, _ := get(t, server, "/characters/"+id+"/report")
	require.Equal(t, http.StatusOK, code)
	require.Contains(t, page, "data:image/png;base64,", "with a picture of the places")
	code, _, _ = get(t, server, "/characters/nobody/report")
	require.Equal(t, http.StatusNotFound, code)

	for levels, want := range map[string]int{"1": 200, "2": 200, "0": 404, "3": 404, "x": 404} {
		code, bundle, _ := get(t, server, fmt.Sprintf("/view/smooth/%d/%s", head(), levels))
		require.Equal(t, want, code, levels)
		if want == 200 {
			require.True(t, strings.HasPrefix(bundle, "WMB1"))
		}
	}
	code, out, _ := get(t, server, at+"/probe/0")
	require.Equal(t, http.StatusUnprocessableEntity, code, out)
	for _, op := range []string{"fit_starter", "bind_heat"} {
		code, out := post(t, server, at+"/ops", map[string]any{"op": op, "base": head()})
		require.Equal(t, http.StatusOK, code, out)
	}
	code, text, _ := get(t, server, at+"/probe/0")
	require.Equal(t, http.StatusOK, code, text)
	var probe struct {
		Vertex int
		Movers []struct {
			Joint           string
			Weight, Carried float64
		}
	}
	require.NoError(t, json.Unmarshal([]byte(text), &probe))
	sum := 0.0
	for _, m := range probe.Movers {
		sum += m.Weight
	}
	require.InDelta(t, 1, sum, 1e-5, "the weights of a vertex sum to one")
	for _, v := range []string{"x", "-1", "99999999"} {
		code, _, _ := get(t, server, at+"/probe/"+v)
		require.Equal(t, http.StatusUnprocessableEntity, code, v)
	}
	code, out2 := post(t, server, "/api/works/nothing/cancel", map[string]any{})
	require.Equal(t, http.StatusNotFound, code, out2)
}

// A newer delivery is compared first and taken when it is wanted; a character that
// is removed is gone from every page.
func TestDeliveriesAndRemoval(t *testing.T) {
	need.Time(t)
	server, _ := served(t, reading.Default)
	id, head := brought(t, server, odile(t))
	at := "/api/characters/" + id
	before := head()
	base := map[string]string{"base": fmt.Sprint(before)}
	code, out := sent(t, server, at+"/delivery", "newer.obj", odile(t), base)
	require.Equal(t, http.StatusOK, code, out)
	require.Contains(t, out["said"], "the same")
	require.Equal(t, before, head(), "only compared")
	code, out = sent(t, server, at+"/delivery", "newer.obj", odile(t), nil)
	require.Equal(t, http.StatusUnprocessableEntity, code)
	require.Contains(t, out["error"], "base is the number")
	code, out = sent(t, server, at+"/delivery", "newer.obj", "v 1 2\n", base)
	require.Equal(t, http.StatusUnprocessableEntity, code)
	require.Contains(t, out["error"], "line 1")
	code, out = sent(t, server, at+"/delivery", "newer.obj", odile(t), base)
	require.Equal(t, http.StatusOK, code, out)
	code, out = post(t, server, at+"/ops", map[string]any{"op": "take_delivery", "params": out["take"], "base": before})
	require.Equal(t, http.StatusOK, code, out)
	require.NotNil(t, out["revision"])
	require.Greater(t, head(), before)
	code, out = sent(t, server, at+"/delivery", "newer.obj", odile(t), base)
	require.Equal(t, http.StatusConflict, code, out)

	code, out = post(t, server, at+"/remove", map[string]any{})
	require.Equal(t, http.StatusOK, code, out)
	code, out = post(t, server, at+"/remove", map[string]any{})
	require.Equal(t, http.StatusNotFound, code, out)
	for _, path := range []string{at, "/characters/" + id, "/characters/" + id + "/intake", "/characters/" + id + "/handoff/obj"} {
		code, _, _ := get(t, server, path)
		require.Equal(t, http.StatusNotFound, code, path)
	}
	_, page, _ := get(t, server, "/")
	require.Contains(t, page, "No cast yet")
}

// Who works is told by a name that the browser keeps, in whatever letters.
func TestTheAuthorIsKept(t *testing.T) {
	server, _ := served(t, reading.Default)
	id, head := brought(t, server, odile(t))
	body := strings.NewReader(`{"name":"  Jørgen; \"the rigger\" "}`)
	r, err := http.Post(server.URL+"/api/author", "application/json", body)
	require.NoError(t, err)
	cookies := r.Cookies()
	code, out := decode(t, r)
	require.Equal(t, http.StatusOK, code)
	require.Equal(t, "Jørgen the rigger", out["name"])
	require.Len(t, cookies, 1)
	require.True(t, cookies[0].HttpOnly)
	q, err := http.NewRequest(
		"POST",
		server.URL+"/api/characters/"+id+"/ops",
		strings.NewReader(fmt.Sprintf(`{"op":"set_kind","params":{"kind":"biped"},"base":%d}`, head())),
	)
	require.NoError(t, err)
	q.AddCookie(cookies[0])
	r, err = http.DefaultClient.Do(q)
	require.NoError(t, err)
	code, out = decode(t, r)
	require.Equal(t, http.StatusOK, code, out)
	_, text, _ := get(t, server, "/api/characters/"+id+"/history")
	require.Contains(t, text, `"author":"Jørgen the rigger"`)
}

// What the page must not be told half, or with what no text may have, is an error that
// says so; nothing is changed.
func TestHostileRequestsAreAnsweredWhole(t *testing.T) {
	server, _ := served(t, reading.Default)
	id, head := brought(t, server, odile(t))
	at := "/api/characters/" + id
	code, out := post(t, server, at+"/ops", map[string]any{"op": "fit_starter", "base": head()})
	require.Equal(t, http.StatusOK, code, out)
	before := head()
	for body, want := range map[string]string{
		`{"op":"move_joint","base":%d,"params":{"joint":"hips","to":[1e300,0,0]}}`:   "is not a valid position",
		`{"op":"move_joint","base":%d,"params":{"joint":"hips","to":["a",0,0]}}`:     "is not a valid string",
		`{"op":"rename_part","base":%d,"params":{"part":"odile","name":"a\u0000b"}}`: "invalid character",
		`{"op":"fly","base":%d}`: "there is no operation",
	} {
		r, err := http.Post(server.URL+at+"/ops", "application/json", strings.NewReader(fmt.Sprintf(body, before)))
		require.NoError(t, err)
		code, out := decode(t, r)
		require.Equal(t, http.StatusUnprocessableEntity, code, out)
		require.Contains(t, out["error"], want)
		require.NotRegexp(t, `studio\.|placement\.|float64|\[3\]`, out["error"], "no types of the program")
	}
	require.Equal(t, before, head())
	code, page, _ := get(t, server, at)
	require.Equal(t, http.StatusOK, code)
	require.True(t, json.Valid([]byte(page)))
	// Names of a new character.
	code, made := sent(t, server, "/api/characters", "a.obj", odile(t), map[string]string{"name": "a\x00b"})
	require.Equal(t, http.StatusUnprocessableEntity, code, made)
	require.Contains(t, made["error"], "an invisible character")
	code, made = sent(t, server, "/api/characters", "a.obj", odile(t), map[string]string{"name": strings.Repeat("x", 300)})
	require.Equal(t, http.StatusUnprocessableEntity, code, made)
	require.Contains(t, made["error"], "the limit is 255")
}

// What would be lost is asked before it is done, by the server; addresses of what is
// static hold for good and no other.
func TestWhatWouldBeLostAndWhatIsStatic(t *testing.T) {
	server, _ := served(t, reading.Default)
	id, head := brought(t, server, odile(t))
	at := "/api/characters/" + id
	for _, op := range []string{"fit_starter", "bind_heat"} {
		code, out := post(t, server, at+"/ops", map[string]any{"op": op, "base": head()})
		require.Equal(t, http.StatusOK, code, out)
	}
	before := head()
	code, out := post(t, server, at+"/ops", map[string]any{"op": "fit_starter", "base": before})
	require.Equal(t, http.StatusPreconditionRequired, code, out)
	require.Contains(t, out["loses"], "removes the weights")
	require.Equal(t, before, head())
	code, out = post(t, server, at+"/ops", map[string]any{"op": "fit_starter", "base": before, "confirmed": true})
	require.Equal(t, http.StatusOK, code, out)
	require.Nil(t, out["state"].(map[string]any)["weights"])

	_, page, _ := get(t, server, "/")
	sheet := page[strings.Index(page, "/static/"):]
	sheet = sheet[:strings.Index(sheet, `"`)]
	code, _, h := get(t, server, sheet)
	require.Equal(t, http.StatusOK, code)
	require.Contains(t, h.Get("Cache-Control"), "immutable")
	dir := sheet[:strings.Index(sheet[8:], "/")+9]
	for _, path := range []string{"/static/0123456789abcdef/css/marrow.css", dir, dir + "js/", "/static/css/marrow.css"} {
		code, _, _ = get(t, server, path)
		require.Equal(t, http.StatusNotFound, code, path)
	}
	// A page asks at once for every module, each of which is there; packed or not they are the same.
	_, page, _ = get(t, server, "/characters/"+id+"/weights")
	modules := regexp.MustCompile(`rel="modulepreload" href="([^"]+)"`).FindAllStringSubmatch(page, -1)
	require.Greater(t, len(modules), 40)
	for _, m := range modules {
		code, text, _ := get(t, server, m[1]) // unpacked on the way
		require.Equal(t, http.StatusOK, code, m[1])
		q, err := http.NewRequest(http.MethodGet, server.URL+m[1], nil)
		require.NoError(t, err)
		q.Header.Set("Accept-Encoding", "identity")
		res, err := http.DefaultTransport.RoundTrip(q)
		require.NoError(t, err)
		plain, err := io.ReadAll(res.Body)
		require.NoError(t, err)
		require.NoError(t, res.Body.Close())
		require.Empty(t, res.Header.Get("Content-Encoding"))
		require.True(t, string(plain) == text, m[1])
	}
	// A change tells what has changed since any revision that a page knows.
	code, text, _ := get(t, server, fmt.Sprintf("%s?since=%d", at, before))
	require.Equal(t, http.StatusOK, code)
	var delta map[string]any
	require.NoError(t, json.Unmarshal([]byte(text), &delta))
	require.Contains(t, delta, "weights")
	require.NotContains(t, delta, "facts")
	code, text, _ = get(t, server, at+"?since=99999999")
	require.Equal(t, http.StatusOK, code)
	require.Contains(t, text, `"facts"`, "what is not known is told whole")
}

// The subdivided preview of a mesh that would have too many faces is refused with a
// sentence, which the page has beforehand.
func TestASubdividedPreviewIsBounded(t *testing.T) {
	need.Time(t)
	server, _ := served(t, reading.Default)
	m := hostile.Meshes["a long strip"](45_000)
	require.Equal(t, 1, bundle.Smoothest(m))
	require.Equal(t, 2, bundle.Smoothest(hostile.Meshes["a long strip"](30_000)))
	require.Equal(t, 0, bundle.Smoothest(hostile.Meshes["a long strip"](180_000)))
	var b strings.Builder
	require.NoError(t, obj.Encode(&b, m))
	id, _ := brought(t, server, b.String())
	_, text, _ := get(t, server, "/api/characters/"+id)
	var s struct {
		Head   int64
		Smooth struct {
			Levels int
			Why    string
		}
	}
	require.NoError(t, json.Unmarshal([]byte(text), &s))
	require.Equal(t, 1, s.Smooth.Levels)
	code, _, _ := get(t, server, fmt.Sprintf("/view/smooth/%d/1", s.Head))
	require.Equal(t, http.StatusOK, code)
	code, text, _ = get(t, server, fmt.Sprintf("/view/smooth/%d/2", s.Head))
	require.Equal(t, http.StatusUnprocessableEntity, code)
	require.Contains(t, text, s.Smooth.Why)
	require.Contains(t, s.Smooth.Why, "500\u202f000 faces")
}

// A page that got no answer asks again with the key of its change: the change is done
// once, and answered as the first time. So are undo, works and uploads.
func TestAChangeThatIsAskedForAgainIsDoneOnce(t *testing.T) {
	server, _ := served(t, reading.Default)
	id, _ := brought(t, server, flawed(t))
	at := "/api/characters/" + id
	head := func() float64 {
		_, text, _ := get(t, server, at)
		var s struct{ Head float64 }
		require.NoError(t, json.Unmarshal([]byte(text), &s))
		return s.Head
	}
	first := head()
	change := map[string]any{"op": "drop_loose", "base": first, "key": "abc", "again": true}
	code, done := post(t, server, at+"/ops", change)
	require.Equal(t, http.StatusOK, code, done)
	second := head()
	for range 3 {
		code, again := post(t, server, at+"/ops", change)
		require.Equal(t, http.StatusOK, code, again)
		require.Equal(t, done["revision"].(map[string]any)["id"], again["revision"].(map[string]any)["id"])
		require.Equal(t, done["state"].(map[string]any)["facts"], again["state"].(map[string]any)["facts"])
	}
	require.Equal(t, second, head())
	delete(change, "again") // not said to be a repetition, as by another page
	code, again := post(t, server, at+"/ops", change)
	require.Equal(t, http.StatusOK, code, again)
	require.Equal(t, done["revision"].(map[string]any)["id"], again["revision"].(map[string]any)["id"])
	change["base"] = second
	code, again = post(t, server, at+"/ops", change)
	require.Equal(t, http.StatusOK, code, "the key is taken: what came of it is told")
	require.Equal(t, done["revision"].(map[string]any)["id"], again["revision"].(map[string]any)["id"])
	require.Equal(t, second, head())

	for range 2 {
		code, out := post(t, server, at+"/undo", map[string]any{"base": second, "key": "undo", "again": true})
		require.Equal(t, http.StatusOK, code, out)
		require.Equal(t, first, head())
	}
	// A key that was given for something else, here or elsewhere, is a conflict and does nothing.
	other, _ := brought(t, server, flawed(t))
	for path, change := range map[string]map[string]any{
		at + "/ops":                         {"op": "weld", "params": map[string]any{"distance": 0.01}, "base": first, "key": "abc"},
		at + "/undo":                        {"base": second, "key": "abc", "again": true},
		"/api/characters/" + other + "/ops": {"op": "drop_loose", "base": headOf(t, server, other), "key": "abc"},
	} {
		before := headOf(t, server, other)
		code, out := post(t, server, path, change)
		require.Equal(t, http.StatusConflict, code, out)
		require.Contains(t, out["error"], "a key of its own")
		require.Equal(t, first, head())
		require.Equal(t, before, headOf(t, server, other))
	}
	// The same change sent ten times at once is done once, and all are told the same.
	type answered struct {
		code int
		out  map[string]any
	}
	answers := make(chan answered, 10)
	for range 10 {
		go func() {
			code, out := post(t, server, at+"/ops", map[string]any{"op": "drop_loose", "base": first, "key": "ten"})
			answers <- answered{code, out}
		}()
	}
	var told any
	for range 10 {
		a := <-answers
		require.Equal(t, http.StatusOK, a.code, a.out)
		id := a.out["revision"].(map[string]any)["id"]
		if told == nil {
			told = id
		}
		require.Equal(t, told, id)
	}
	code, out := post(t, server, at+"/ops", map[string]any{"op": "drop_loose", "base": first, "key": strings.Repeat("x", 65)})
	require.Equal(t, http.StatusUnprocessableEntity, code, out)
	code, _, _ = get(t, server, "/api/asked/nobody")
	require.Equal(t, http.StatusNotFound, code)
}

func headOf(t *testing.T, server *httptest.Server, id string) float64 {
	t.Helper()
	_, text, _ := get(t, server, "/api/characters/"+id)
	var s struct{ Head float64 }
	require.NoError(t, json.Unmarshal([]byte(text), &s))
	return s.Head
}

// Characters have names of their own in a production: files of one name get numbers, a
// name that is taken is refused with one that is free. A copy is a character by itself.
func TestCharactersAreRenamedAndDuplicated(t *testing.T) {
	server, store := served(t, reading.Default)
	names := func() (out []string) {
		list, err := store.Characters(context.Background())
		require.NoError(t, err)
		for _, c := range list {
			out = append(out, c.Name)
		}
		return out
	}
	first, _ := brought(t, server, flawed(t))
	second, _ := brought(t, server, flawed(t))
	name := names()[0]
	require.Equal(t, []string{name, name + " 2"}, names())

	code, out := post(t, server, "/api/characters/"+second+"/rename", map[string]string{"name": strings.ToUpper(name)})
	require.Equal(t, http.StatusUnprocessableEntity, code)
	require.Contains(t, out["error"], "is free")
	for _, bad := range []string{"", "  ", "a\nb", strings.Repeat("x", 300)} {
		code, out = post(t, server, "/api/characters/"+second+"/rename", map[string]string{"name": bad})
		require.Equal(t, http.StatusUnprocessableEntity, code, out)
	}
	code, out = post(t, server, "/api/characters/"+second+"/rename", map[string]string{"name": " Ferrywoman "})
	require.Equal(t, http.StatusOK, code, out)
	require.Equal(t, []string{name, "Ferrywoman"}, names())
	code, _ = post(t, server, "/api/characters/nobody/rename", map[string]string{"name": "x"})
	require.Equal(t, http.StatusNotFound, code)

	code, out = post(t, server, "/api/characters/"+second+"/duplicate", map[string]string{})
	require.Equal(t, http.StatusCreated, code, out)
	require.Equal(t, []string{name, "Ferrywoman", "Ferrywoman 2"}, names())
	head := func(id string) float64 {
		var s struct{ Head float64 }
		_, text, _ := get(t, server, "/api/characters/"+id)
		require.NoError(t, json.Unmarshal([]byte(text), &s))
		return s.Head
	}
	copied := out["id"].(string)
	before := head(second)
	code, out = post(t, server, "/api/characters/"+copied+"/ops", map[string]any{"op": "drop_loose", "base": head(copied)})
	require.Equal(t, http.StatusOK, code, out)
	require.Equal(t, before, head(second), "the other stays as it is")
	code, _ = post(t, server, "/api/characters/"+first+"/remove", map[string]string{})
	require.Equal(t, http.StatusOK, code)
	code, _ = post(t, server, "/api/characters/"+first+"/duplicate", map[string]string{})
	require.Equal(t, http.StatusNotFound, code)
}

// A file whose length is not announced comes in as any other; and one is read with the memory that what arrived
// takes, whatever was announced.
func TestFilesComeInPieces(t *testing.T) {
	server, store := served(t, reading.Default)
	var form bytes.Buffer
	w := multipart.NewWriter(&form)
	part, err := w.CreateFormFile("file", "plate.obj")
	require.NoError(t, err)
	_, err = part.Write([]byte("v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n"))
	require.NoError(t, err)
	require.NoError(t, w.Close())
	r, err := http.NewRequest("POST", server.URL+"/api/characters", struct{ io.Reader }{&form}) // no length: chunked
	require.NoError(t, err)
	r.Header.Set("Content-Type", w.FormDataContentType())
	answer, err := http.DefaultClient.Do(r)
	require.NoError(t, err)
	defer answer.Body.Close()
	text, _ := io.ReadAll(answer.Body)
	require.Equal(t, http.StatusCreated, answer.StatusCode, string(text))
	list, err := store.Characters(context.Background())
	require.NoError(t, err)
	require.Len(t, list, 1)
}

// With many characters the cast comes with the first cards, and those below as they come into view; each is what
// it would have been.
func TestTheCastComesAsItIsSeen(t *testing.T) {
	server, _ := served(t, reading.Default)
	id, _ := brought(t, server, flawed(t))
	for range 59 {
		code, _ := post(t, server, "/api/characters/"+id+"/duplicate", map[string]string{})
		require.Equal(t, http.StatusCreated, code)
	}
	_, page, _ := get(t, server, "/")
	require.Equal(t, 20, strings.Count(page, "data-later="))
	require.Equal(t, 40, strings.Count(page, `class="portrait"`))
	later := regexp.MustCompile(`data-later="([^"]+)"`).FindAllStringSubmatch(page, -1)
	var ids []string
	for _, m := range later {
		ids = append(ids, m[1])
	}
	code, cards, _ := get(t, server, "/cards?ids="+strings.Join(append(ids[:19:19], "nobody"), ","))
	require.Equal(t, http.StatusOK, code)
	require.Equal(t, 19, strings.Count(cards, `class="portrait"`))
	at := -1
	for _, id := range ids[:19] { // in their order
		next := strings.Index(cards, `"/characters/`+id+`"`)
		require.Greater(t, next, at)
		at = next
	}
	code, _, _ = get(t, server, "/cards?ids="+strings.Repeat("x,", 60))
	require.Equal(t, http.StatusUnprocessableEntity, code)
}
