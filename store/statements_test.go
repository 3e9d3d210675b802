package store_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"wisemarrow/core/skeleton"
	"wisemarrow/store"
	"wisemarrow/studio"
	"wisemarrow/web"

	"github.com/stretchr/testify/require"
)

// A nudge of a joint, one after the other as a hand makes them, costs at most five statements and their
// transaction, however many came before it.
func TestANudgeCostsFewStatements(t *testing.T) {
	sent := &store.Statements{}
	defer store.Trace(sent)()
	_, x, _ := opened(t)
	s := box()
	s.Skeleton = skeleton.Biped(1)
	c, err := x.Add(ctx, studio.Character{Production: "Test", Name: "Box"}, "tester", s, "came in")
	require.NoError(t, err)
	head := c.Head
	for i := range 20 {
		sent.Take()
		rev, _, err := x.Do(ctx, c.ID, head, "move_joint", json.RawMessage(fmt.Sprintf(`{"joint":"hand_l","to":[0.%d,0.8,0.1]}`, i+40)), "tester")
		require.NoError(t, err)
		head = rev.ID
		list := sent.Take()
		if i > 0 {
			require.LessOrEqual(t, len(list), 5+2, strings.Join(list, "\n"))
		}
	}
}

// The same over HTTP, as a page sends it: with a key, and with a panel that the page has. What is other in the panel
// is a few kilobytes.
func TestANudgeOfAPageIsSmall(t *testing.T) {
	sent := &store.Statements{}
	defer store.Trace(sent)()
	db, x, _ := opened(t)
	s := box()
	s.Skeleton = skeleton.Biped(1)
	c, err := x.Add(ctx, studio.Character{Production: "Test", Name: "Box"}, "tester", s, "came in")
	require.NoError(t, err)
	server := httptest.NewServer(web.Routes(x, db.Ping, nil))
	t.Cleanup(server.Close)
	head, panel := c.Head, ""
	for i := range 4 {
		sent.Take()
		body, err := json.Marshal(map[string]any{
			"op": "move_joint", "params": map[string]any{"joint": "hand_l", "to": []float64{0.4 + 0.01*float64(i), 0.8, 0.1}},
			"base": head, "stage": "placement", "panel": panel, "key": fmt.Sprint("nudge", i),
		})
		require.NoError(t, err)
		r, err := http.Post(server.URL+"/api/characters/"+c.ID+"/ops", "application/json", bytes.NewReader(body))
		require.NoError(t, err)
		var a struct {
			Revision struct{ ID int64 }
			State    struct {
				Head  int64
				Panel struct {
					ID   string
					Cut  *[2]int
					HTML string
				}
			}
		}
		require.NoError(t, json.NewDecoder(r.Body).Decode(&a))
		require.NoError(t, r.Body.Close())
		require.Equal(t, http.StatusOK, r.StatusCode)
		require.Equal(t, a.Revision.ID, a.State.Head)
		head, panel = a.Revision.ID, a.State.Panel.ID
		if list := sent.Take(); i > 0 {
			require.LessOrEqual(t, len(list), 6+2, strings.Join(list, "\n"))
			require.NotNil(t, a.State.Panel.Cut)
			require.Less(t, len(a.State.Panel.HTML), 4<<10)
		} else {
			require.Nil(t, a.State.Panel.Cut)
			require.Greater(t, len(a.State.Panel.HTML), 10<<10)
		}
	}
}
