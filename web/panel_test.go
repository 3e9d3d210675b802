package web

import (
	"math/rand/v2"
	"strings"
	"testing"
	"unicode/utf16"

	"github.com/stretchr/testify/require"
)

// put together as the page does it, in units of UTF-16.
func put(old string, p sentPanel) string {
	if p.Cut == nil {
		return p.HTML
	}
	u := utf16.Encode([]rune(old))
	return string(utf16.Decode(u[:p.Cut[0]])) + p.HTML + string(utf16.Decode(u[len(u)-p.Cut[1]:]))
}

func TestAPanelIsPutTogetherOfWhatIsOther(t *testing.T) {
	p := newPanels()
	r := rand.New(rand.NewPCG(1, 2))
	letters := []string{"a", "<b>", "é", "ĩ", "→", "→", "🦴", "\n", "x"}
	text := func() string {
		var b strings.Builder
		for range r.IntN(40) {
			b.WriteString(letters[r.IntN(len(letters))])
		}
		return b.String()
	}
	for range 2000 {
		head, tail := text(), text()
		old, next := head+text()+tail, head+text()+tail
		first := p.send("placement", old, "")
		require.Nil(t, first.Cut)
		require.Equal(t, old, put("", first))
		then := p.send("placement", next, first.ID)
		if old == next {
			require.True(t, then.Same)
			continue
		}
		require.Equal(t, first.ID, then.From)
		require.Equal(t, next, put(old, then), "%q to %q", old, next)
	}
	require.Nil(t, p.send("placement", "new", "unknown").Cut, "a panel that is not known here any more comes whole")
}
