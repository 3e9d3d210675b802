package pose_test

import (
	"encoding/json"
	"testing"

	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"

	"github.com/stretchr/testify/require"
)

// What a page asks comes back as a pose, and what makes none is refused with its name.
func TestAHandIsAskedByJSON(t *testing.T) {
	s := skeleton.Biped(1.7)
	h := pose.NewHand(s, skeleton.DefaultMarks)
	at := s.Joints[s.Index("foot_l")].Pos
	text, err := h.DoJSON(
		`{"do":"pull","joint":"hand_l","to":[0.5,1.2,0.3],"whole":true,"held":{"foot_l":[` + number(
			at.X,
		) + `,` + number(
			at.Y,
		) + `,` + number(
			at.Z,
		) + `]}}`,
	)
	require.NoError(t, err)
	var out pose.Handed
	require.NoError(t, json.Unmarshal([]byte(text), &out))
	require.Less(t, out.Off+out.Slid, 1e-3)
	require.Contains(t, out.Turns, "upper_arm_l")
	text, err = h.DoJSON(`{"do":"mirror","turns":{"forearm_l":[0,0.6,0,0.8]},"move":[0.1,0,0]}`)
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal([]byte(text), &out))
	require.Equal(t, -0.1, out.Move[0])
	require.Contains(t, out.Turns, "forearm_r")
	for _, bad := range []string{`{`, `{"do":"dance"}`, `{"do":"pull","joint":"nobody"}`, `{"do":"pull","joint":"hand_l","to":[1e999,0,0]}`, `{"do":"mirror","turns":{"nobody":[0,0,0,1]}}`, `{"do":"mirror","turns":{"head":[0,0,0,0]}}`, `{"do":"pull","joint":"head","held":{"nobody":[0,0,0]}}`} {
		_, err := h.DoJSON(bad)
		require.Error(t, err, bad)
	}
}

func number(x float64) string {
	data, _ := json.Marshal(x)
	return string(data)
}
