package web

import (
	"crypto/sha256"
	"encoding/hex"
	"strings"
	"time"
	"unicode/utf16"
	"unicode/utf8"

	lru "github.com/hashicorp/golang-lru/v2"
	"github.com/hashicorp/golang-lru/v2/expirable"
)

// Panels of stages are tens of kilobytes, and a nudge changes a few numbers in one. A page says which panel it
// has, and gets what is other; where that is not known here any more, all of it.

const (
	panelsKept = 200 // that pages may say they have
	seldomKept = 1000
	// seldomFor is how long an answer to a change shows what others have changed as it was: who else is in the
	// production, and what it keeps on its shelf. What a page asks for by itself is always read.
	seldomFor = 3 * time.Second
)

// panels are those that were sent, by id.
type panels struct {
	sent   *lru.Cache[string, string]
	seldom *expirable.LRU[string, any]
}

func newPanels() *panels {
	sent, _ := lru.New[string, string](panelsKept) // fails for sizes below 1 only
	return &panels{sent, expirable.NewLRU[string, any](seldomKept, nil, seldomFor)}
}

// idOf names a panel by what it says.
func idOf(html string) string {
	sum := sha256.Sum256([]byte(html))
	return hex.EncodeToString(sum[:9])
}

// sent is a panel on its way to a page: what stands between the first Cut[0] and the last Cut[1] units of text
// (UTF-16, as JavaScript counts) of the panel that it has; all of it without a Cut.
type sentPanel struct {
	Of   string  `json:"of"` // the stage
	ID   string  `json:"id"`
	Same bool    `json:"same,omitempty"` // the page has it
	From string  `json:"from,omitempty"` // the panel that is cut
	Cut  *[2]int `json:"cut,omitempty"`
	HTML string  `json:"html,omitempty"`
}

// send returns a panel for a page that has the panel of an id, "" for none.
func (p *panels) send(stage, html, has string) sentPanel {
	out := sentPanel{Of: stage, ID: idOf(html), HTML: html}
	p.sent.Add(out.ID, html)
	if out.ID == has {
		return sentPanel{Of: stage, ID: out.ID, Same: true}
	}
	if old, ok := p.sent.Get(has); ok {
		head, tail := common(old, html)
		out.Cut = &[2]int{units(html[:head]), units(html[len(html)-tail:])}
		out.HTML, out.From = html[head:len(html)-tail], has
	}
	return out
}

// common returns how many bytes two texts have in common at their beginnings and, beyond that, at their ends,
// between whole characters.
func common(a, b string) (head, tail int) {
	most := min(len(a), len(b))
	for head < most && a[head] == b[head] {
		head++
	}
	for head > 0 && head < len(b) && !utf8.RuneStart(b[head]) || head > 0 && head < len(a) && !utf8.RuneStart(a[head]) {
		head--
	}
	for tail < most-head && a[len(a)-1-tail] == b[len(b)-1-tail] {
		tail++
	}
	for tail > 0 && !utf8.RuneStart(b[len(b)-tail]) {
		tail--
	}
	return head, tail
}

// units is the length of a text as JavaScript counts.
func units(s string) int {
	if !strings.ContainsFunc(s, func(r rune) bool { return r >= utf8.RuneSelf }) {
		return len(s)
	}
	return len(utf16.Encode([]rune(s)))
}

// seldom returns what seldom changes, read anew when it is older than seldomFor.
func seldom[T any](p *panels, key string, read func() (T, error)) (T, error) {
	if v, ok := p.seldom.Get(key); ok {
		return v.(T), nil
	}
	v, err := read()
	if err == nil {
		p.seldom.Add(key, v)
	}
	return v, err
}
