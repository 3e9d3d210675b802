package store_test

import (
	"encoding/binary"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"wisemarrow/formats/reading"
	"wisemarrow/internal/studiotest"
	"wisemarrow/studio"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"
)

// column is content like that of a joint's weights: numbers of vertices, and a value for each.
func column(r *rand.Rand, n int) []byte {
	out := make([]byte, 0, 8*n)
	for v := range n {
		out = binary.LittleEndian.AppendUint32(out, uint32(3*v))
	}
	for range n {
		out = binary.LittleEndian.AppendUint32(out, r.Uint32())
	}
	return out
}

// A change of a few values stores little, however often it is made; every state of it comes back to the bit,
// by whom it is read and whenever, and none stands on more than a few others. What others stand on is not
// swept while they are there.
func TestWhatChangesLittleIsStoredAsThat(t *testing.T) {
	s, x, url := opened(t)
	c := added(t, x)
	conn, err := pgx.Connect(ctx, url)
	require.NoError(t, err)
	defer conn.Close(ctx)
	r := rand.New(rand.NewPCG(4, 4))
	data := column(r, 6000)
	parts := func(i int) string { return fmt.Sprintf("%064x", 1000+i) }
	head, states := c.Head, map[string][]byte{}
	var bytes, deep int64
	const strokes = 40
	for i := range strokes {
		data = append([]byte(nil), data...)
		at := 24000 + 4*r.IntN(5000)
		for k := range 120 { // a touch changes 120 values beside each other
			binary.LittleEndian.PutUint32(data[at+4*k:], r.Uint32())
		}
		states[parts(i)] = data
		rev, err := s.Commit(
			ctx,
			studio.Commit{
				Revision: studio.Revision{
					Character: c.ID,
					Parent:    head,
					Op:        "x",
					Params:    json.RawMessage("{}"),
					Parts:     studio.Parts{"weights/arm": parts(i)},
				},
				Head:  head,
				Was:   studio.Parts{"weights/arm": parts(i - 1)},
				Blobs: []studio.Blob{{Hash: parts(i), Data: data}},
			},
		)
		require.NoError(t, err)
		head = rev.ID
	}
	require.NoError(
		t,
		conn.QueryRow(ctx, "select sum(octet_length(data)), max(depth) from blobs where hash like '000000000000%'").Scan(&bytes, &deep),
	)
	t.Logf("%d changes of %d bytes each take %d bytes, %d deep at most", strokes, len(data), bytes, deep)
	require.Less(t, bytes, int64(strokes*len(data)/8))
	require.Greater(t, deep, int64(3))
	require.LessOrEqual(t, deep, int64(12))
	var hashes []string
	for h := range states {
		hashes = append(hashes, h)
	}
	for _, all := range [][]string{hashes, hashes[:1], hashes[len(hashes)-1:]} {
		got, err := s.Blobs(ctx, all)
		require.NoError(t, err)
		for _, h := range all {
			require.Equal(t, states[h], got[h])
		}
	}
	_, err = conn.Exec(ctx, "update blobs set staged_at = now() - interval '3 days' where hash = $1", parts(0)) // by mistake
	require.NoError(t, err)
	require.NoError(t, s.Sweep(ctx))
	got, err := s.Blobs(ctx, []string{parts(5)})
	require.NoError(t, err)
	require.Equal(t, states[parts(5)], got[parts(5)])

	_, err = conn.Exec(ctx, "update blobs set data = '\\x28b52ffd0000010000'::bytea where hash = $1", parts(3))
	require.NoError(t, err)
	_, err = s.Blobs(ctx, []string{parts(4)})
	require.ErrorContains(t, err, "damaged")
	_, err = conn.Exec(ctx, "delete from blobs where hash = $1", parts(20))
	require.NoError(t, err)
	_, err = s.Blobs(ctx, []string{parts(21)})
	require.ErrorContains(t, err, "missing")
}

// Strokes of a brush on a character: what a stroke stores, and that the character is the same when it is read
// anew.
func TestAStrokeStoresWhatItChanges(t *testing.T) {
	s, x, url := opened(t)
	state := studiotest.Bound(t)
	c, err := x.Add(ctx, studio.Character{Production: "Test", Name: "Odile"}, "tester", state, "came in")
	require.NoError(t, err)
	conn, err := pgx.Connect(ctx, url)
	require.NoError(t, err)
	defer conn.Close(ctx)
	size := func() (n int64) {
		require.NoError(t, conn.QueryRow(ctx, "select coalesce(sum(octet_length(data)), 0) from blobs").Scan(&n))
		return n
	}
	was, head := size(), c.Head
	const strokes = 20
	for i := range strokes {
		var touches []string
		for k := range 25 {
			touches = append(touches, fmt.Sprintf(`{"t":%d,"b":0.3,"c":0.3,"p":0.5,"w":1}`, (i*211+2*k)%state.Mesh.Faces()))
		}
		params := fmt.Sprintf(
			`{"joint":%q,"mode":"add","value":0.3,"opacity":0.5,"radius":0.05,"hard":0.2,"strokes":[[%s]]}`,
			state.Weights.Joints[i%3+2],
			strings.Join(touches, ","),
		)
		r, _, err := x.Do(ctx, c.ID, head, "paint_weights", json.RawMessage(params), "mira")
		require.NoError(t, err)
		head = r.ID
	}
	t.Logf("%d strokes on %d vertices: %d bytes each", strokes, len(state.Mesh.Points), (size()-was)/strokes)
	a, err := x.Load(ctx, latest(t, s, c))
	require.NoError(t, err)
	b, err := studio.New(s, reading.Default).Load(ctx, latest(t, s, c))
	require.NoError(t, err)
	require.Equal(t, a.Weights.Of, b.Weights.Of)
	require.Less(t, (size()-was)/strokes, int64(12_000))
}
