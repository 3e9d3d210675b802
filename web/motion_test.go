package web_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"
	"time"

	"wisemarrow/formats/bundle"
	"wisemarrow/formats/reading"
	"wisemarrow/internal/need"
	"wisemarrow/internal/studiotest"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
)

// The reel and its sheet as a page asks for them, the sheet to print, a pull by the server, and a look at the pairs
// of a motion; what is not there is told, and nothing is changed.
func TestTheMotionCheckIsServed(t *testing.T) {
	need.Time(t)
	server, s := served(t, reading.Default)
	ctx := context.Background()
	x := studio.New(s, reading.Default)
	c, err := x.Add(ctx, studio.Character{Production: "P", Name: "Odile"}, "tester", studiotest.Bound(t), "came in")
	require.NoError(t, err)
	at := server.URL + "/api/characters/" + c.ID
	get := func(path string) (int, []byte) {
		r, err := http.Get(path)
		require.NoError(t, err)
		defer r.Body.Close()
		data, err := io.ReadAll(r.Body)
		require.NoError(t, err)
		return r.StatusCode, data
	}
	type told struct {
		Revision int64                 `json:"revision"`
		Names    []string              `json:"names"`
		Frames   []float64             `json:"frames"`
		Sheet    *studio.Brief         `json:"sheet"`
		Places   []struct{ By string } `json:"places"`
	}
	sheet := func() (out told) {
		code, data := get(at + "/sheet")
		require.Equal(t, http.StatusOK, code)
		require.NoError(t, json.Unmarshal(data, &out))
		return out
	}
	before := sheet()
	require.Nil(t, before.Sheet)
	require.NotEmpty(t, before.Names)
	code, _ := get(server.URL + "/characters/" + c.ID + "/score")
	require.Equal(t, http.StatusNotFound, code, "there is no sheet to print yet")
	code, data := get(fmt.Sprintf("%s/view/reel/%d", server.URL, before.Revision))
	require.Equal(t, http.StatusOK, code)
	clips, err := bundle.ReadClips(data)
	require.NoError(t, err)
	require.Equal(t, len(before.Names), clips[0].Frames())
	code, _ = get(server.URL + "/view/reel/999999")
	require.Equal(t, http.StatusNotFound, code)

	_, _, err = x.Do(ctx, c.ID, c.Head, "check_motion", json.RawMessage(`{"steps":1,"kinds":["figure"]}`), "tester")
	require.NoError(t, err)
	var after told
	require.Eventually(t, func() bool { after = sheet(); return after.Sheet != nil }, 10*time.Second, 50*time.Millisecond)
	require.Len(t, after.Frames, len(after.Names))
	require.NotEmpty(t, after.Places[0].By)
	code, data = get(server.URL + "/characters/" + c.ID + "/score")
	require.Equal(t, http.StatusOK, code)
	require.Contains(t, string(data), "Motion score")
	require.Contains(t, string(data), "data:image/png;base64")

	post := func(path, body string) (int, string) {
		r, err := http.Post(at+path, "application/json", strings.NewReader(body))
		require.NoError(t, err)
		defer r.Body.Close()
		data, _ := io.ReadAll(r.Body)
		return r.StatusCode, string(data)
	}
	code, text := post("/hand", `{"do":"pull","joint":"hand_l","to":[0.4,1.2,0.3],"whole":true}`)
	require.Equal(t, http.StatusOK, code, text)
	require.Contains(t, text, "upper_arm_l")
	code, text = post("/hand", `{"do":"pull","joint":"nobody","to":[0,0,0]}`)
	require.Equal(t, http.StatusUnprocessableEntity, code)
	require.Contains(t, text, "nobody")
	for name, want := range map[string]int{"steps.bvh": http.StatusOK, "broken.bvh": http.StatusUnprocessableEntity, "steps.txt": http.StatusUnprocessableEntity} {
		motion := "HIERARCHY"
		if want == http.StatusOK || name == "steps.txt" {
			_, data := get(server.URL + "/characters/" + c.ID + "/handoff/bvh")
			motion = string(data)
		}
		var body bytes.Buffer
		kind := form(t, &body, nil, name, motion)
		r, err := http.Post(at+"/pairs", kind, &body)
		require.NoError(t, err)
		data, _ := io.ReadAll(r.Body)
		require.NoError(t, r.Body.Close())
		require.Equal(t, want, r.StatusCode, "%s: %s", name, data)
	}
	require.Equal(t, after.Revision, sheet().Revision, "looking changes nothing")
}
