package web_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"wisemarrow/formats/reading"

	"github.com/stretchr/testify/require"
)

// nodding is a skeleton of three joints with a motion of two frames.
const nodding = `HIERARCHY
ROOT hips
{
  OFFSET 0 0.9 0
  CHANNELS 6 Xposition Yposition Zposition Zrotation Xrotation Yrotation
  JOINT head
  {
    OFFSET 0 0.6 0
    CHANNELS 3 Zrotation Xrotation Yrotation
    End Site
    {
      OFFSET 0 0.2 0
    }
  }
}
MOTION
Frames: 2
Frame Time: 0.5
0 0.9 0 0 0 0 0 0 0
0 0.9 0.1 0 0 0 0 20 0
`

// sent posts a form with a file and fields.
func sent(t *testing.T, server *httptest.Server, path, name, text string, fields map[string]string) (int, map[string]any) {
	t.Helper()
	var body bytes.Buffer
	form := multipart.NewWriter(&body)
	part, err := form.CreateFormFile("file", name)
	require.NoError(t, err)
	_, _ = io.WriteString(part, text)
	for k, v := range fields {
		require.NoError(t, form.WriteField(k, v))
	}
	require.NoError(t, form.Close())
	r, err := http.Post(server.URL+path, form.FormDataContentType(), &body)
	require.NoError(t, err)
	return decode(t, r)
}

// brought uploads a mesh; head tells the newest revision of its character.
func brought(t *testing.T, server *httptest.Server, text string) (id string, head func() int64) {
	t.Helper()
	code, made := upload(t, server, map[string]string{"odile.obj": text})
	require.Equal(t, http.StatusCreated, code, made)
	id = made["id"].(string)
	return id, func() int64 {
		code, body, _ := get(t, server, "/api/characters/"+id)
		require.Equal(t, http.StatusOK, code)
		var s struct{ Head int64 }
		require.NoError(t, json.Unmarshal([]byte(body), &s))
		return s.Head
	}
}

// A skeleton is taken from a file with its motion, which the page is told of and
// can fetch; the rest is refused with a reason and changes nothing.
func TestASkeletonIsTakenWithItsMotion(t *testing.T) {
	server, _ := served(t, reading.Default)
	id, head := brought(t, server, odile(t))
	at := "/api/characters/" + id
	code, match := sent(t, server, at+"/match", "nod.bvh", nodding, nil)
	require.Equal(t, http.StatusOK, code, match)
	require.EqualValues(t, 2, match["frames"])
	require.NotNil(t, match["matches"], "an empty list, not null")
	params := map[string]any{"file": match["file"], "motion": true, "match": map[string]string{}, "obsolete": "keep", "parenting": "keep"}
	base := head()
	for want, body := range map[string]map[string]any{
		"is not a valid string":         {"op": "adopt_skeleton", "base": "x", "params": params},
		"unknown field":                 {"op": "adopt_skeleton", "base": base, "params": map[string]any{"horns": 1}},
		"a skeleton can have 1 to 4000": {"op": "adopt_skeleton", "base": base, "params": map[string]any{}},
		"not stored any more":           {"op": "adopt_skeleton", "base": base, "params": map[string]any{"file": map[string]string{"name": "a.bvh", "blob": "none"}}},
		"The character changed":         {"op": "adopt_skeleton", "base": base + 7, "params": params},
	} {
		code, out := post(t, server, at+"/ops", body)
		require.GreaterOrEqual(t, code, 400, want)
		require.Contains(t, out["error"], want)
	}
	still := strings.Replace(nodding, "Frames: 2", "Frames: 0", 1)
	still = still[:strings.Index(still, "0 0.9 0 0")]
	code, quiet := sent(t, server, at+"/match", "nod.bvh", still, nil)
	require.Equal(t, http.StatusOK, code, quiet)
	code, out := post(
		t,
		server,
		at+"/ops",
		map[string]any{
			"op":     "adopt_skeleton",
			"base":   base,
			"params": map[string]any{"file": quiet["file"], "motion": true, "match": map[string]string{}},
		},
	)
	require.Equal(t, http.StatusUnprocessableEntity, code)
	require.Contains(t, out["error"], "no motion")
	require.Equal(t, base, head(), "nothing was changed")

	code, out = post(t, server, at+"/ops", map[string]any{"op": "adopt_skeleton", "base": base, "params": params})
	require.Equal(t, http.StatusOK, code, out)
	_, body, _ := get(t, server, at)
	require.Contains(t, body, `"motions":[{"name":"nod.bvh","frames":2,"seconds":1}]`)
	code, bundle, header := get(t, server, fmt.Sprintf("/view/motion/%d/0", head()))
	require.Equal(t, http.StatusOK, code)
	require.True(t, strings.HasPrefix(bundle, "WMB1"))
	require.Contains(t, header.Get("Cache-Control"), "immutable")
	for _, path := range []string{fmt.Sprintf("/view/motion/%d/1", head()), fmt.Sprintf("/view/motion/%d/x", head()), fmt.Sprintf("/view/motion/%d/0", base)} {
		code, _, _ = get(t, server, path)
		require.Equal(t, http.StatusNotFound, code, path)
	}
	_, tray, _ := get(t, server, "/characters/"+id+"/tray/placement")
	require.Contains(t, tray, "nod.bvh")
	require.Contains(t, tray, "Joint by joint")
	code, _ = post(t, server, at+"/ops", map[string]any{"op": "drop_clip", "params": map[string]string{"clip": "nod.bvh"}, "base": head()})
	require.Equal(t, http.StatusOK, code)
	_, tray, _ = get(t, server, "/characters/"+id+"/tray/placement")
	require.NotContains(t, tray, `id="motions"`)
}

// What a production keeps is offered to all its characters, escaped, and refused
// where it would not do.
func TestTheShelfIsOfferedInTheTray(t *testing.T) {
	server, _ := served(t, reading.Default)
	id, head := brought(t, server, odile(t))
	at, tray := "/api/characters/"+id, "/characters/"+id+"/tray/placement"
	for want, body := range map[string]map[string]any{
		"no skeleton to keep yet":  {"kind": "starter", "name": "House", "like": "biped"},
		`not "hat"`:                {"kind": "hat", "name": "House"},
		"1 to 1000 pairs":          {"kind": "names", "name": "House"},
		"a name of 1 to 63":        {"kind": "names", "name": "  "},
		"is given to both":         {"kind": "names", "name": "House", "joints": map[string]string{"hips": "a", "head": "a"}},
		"a built-in naming scheme": {"kind": "names", "name": "hanim", "joints": map[string]string{"hips": "a"}},
	} {
		code, out := post(t, server, at+"/shelf", body)
		require.Equal(t, http.StatusUnprocessableEntity, code, want)
		require.Contains(t, out["error"], want)
	}
	code, out := post(
		t,
		server,
		at+"/ops",
		map[string]any{"op": "fit_starter", "params": map[string]string{"starter": "biped"}, "base": head()},
	)
	require.Equal(t, http.StatusOK, code, out)
	code, out = post(t, server, at+"/shelf", map[string]any{"kind": "starter", "name": "<b>House</b>", "like": "biped"})
	require.Equal(t, http.StatusOK, code, out)
	code, out = post(
		t,
		server,
		at+"/shelf",
		map[string]any{"kind": "names", "name": "Stage names", "joints": map[string]string{"hips": "pelvis"}},
	)
	require.Equal(t, http.StatusOK, code, out)
	_, page, _ := get(t, server, tray)
	require.NotContains(t, page, "<b>House</b>")
	require.Contains(t, page, "&lt;b&gt;House&lt;/b&gt;")
	require.Contains(t, page, "Stage names")

	// A second character of the production has it too, another production has not.
	var body bytes.Buffer
	form := multipart.NewWriter(&body)
	part, err := form.CreateFormFile("file", "other.obj")
	require.NoError(t, err)
	_, _ = io.WriteString(part, odile(t))
	require.NoError(t, form.WriteField("production", "Another one"))
	require.NoError(t, form.Close())
	r, err := http.Post(server.URL+"/api/characters", form.FormDataContentType(), &body)
	require.NoError(t, err)
	_, elsewhere := decode(t, r)
	_, second := upload(t, server, map[string]string{"second.obj": odile(t)})
	_, page, _ = get(t, server, "/characters/"+second["id"].(string)+"/tray/placement")
	require.Contains(t, page, "&lt;b&gt;House&lt;/b&gt;")
	_, page, _ = get(t, server, "/characters/"+elsewhere["id"].(string)+"/tray/placement")
	require.NotContains(t, page, "House")

	code, _ = post(t, server, at+"/shelf/discard", map[string]string{"kind": "starter", "name": "<b>House</b>"})
	require.Equal(t, http.StatusOK, code)
	code, _ = post(t, server, at+"/shelf/discard", map[string]string{"kind": "starter", "name": "<b>House</b>"})
	require.Equal(t, http.StatusNotFound, code)
	_, page, _ = get(t, server, tray)
	require.NotContains(t, page, "House")
}

// Every tray is drawn before and after its stage has begun, and one that is not
// there is told.
func TestEveryTrayIsDrawn(t *testing.T) {
	server, _ := served(t, reading.Default)
	id, head := brought(t, server, odile(t))
	draw := func() {
		for _, stage := range []string{"intake", "placement", "axes", "bindpose", "bind", "weights", "handoff"} {
			code, page, _ := get(t, server, "/characters/"+id+"/tray/"+stage)
			require.Equal(t, http.StatusOK, code, stage)
			require.Contains(t, page, "<h2>", stage)
			require.NotContains(t, page, "<no value>", stage)
			code, page, _ = get(t, server, "/characters/"+id+"/"+stage)
			require.Equal(t, http.StatusOK, code, stage)
			require.Contains(t, page, `data-stage="`+stage+`"`)
		}
	}
	draw()
	for _, op := range []string{"fit_starter", "set_axes", "bind_heat"} {
		code, out := post(t, server, "/api/characters/"+id+"/ops", map[string]any{"op": op, "params": map[string]any{}, "base": head()})
		require.Equal(t, http.StatusOK, code, out)
	}
	draw()
	for _, path := range []string{"/characters/" + id + "/tray/tea", "/characters/nobody/tray/bind", "/characters/" + id + "/tea"} {
		code, _, _ := get(t, server, path)
		require.Equal(t, http.StatusNotFound, code, path)
	}
}
