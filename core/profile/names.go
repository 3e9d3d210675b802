package profile

import (
	"strconv"
	"strings"
	"unicode"

	"wisemarrow/core/skeleton"
)

// longestName is what a joint's name may have here: a receiver may take less.
const longestName = 63

// Changes are the names that joints of a skeleton need, by those that they have; those that are as they should be are left
// out. A name in a public naming is taken as that has it; others lose accents, get _ for what is no letter, keep their side, and
// a number where two would be the same.
func (n *Names) Changes(s *skeleton.Skeleton, x skeleton.Marks) map[string]string {
	if n == nil {
		return nil
	}
	standard, _ := skeleton.FindNameMap(n.Standard) // none has none
	taken := map[string]bool{}
	key := func(name string) string {
		if n.AnyCase {
			return strings.ToLower(name)
		}
		return name
	}
	next := make([]string, len(s.Joints))
	// Names that stay come first, so that they are not taken from those that have them.
	for i, j := range s.Joints {
		name, ok := standard.Joints[j.Name]
		if !ok {
			name = n.fitted(j.Name, x)
		}
		if next[i] = name; name == j.Name && !taken[key(name)] {
			taken[key(name)] = true
		} else {
			next[i] = "\x00" + name
		}
	}
	out := map[string]string{}
	for i, j := range s.Joints {
		name, open := strings.CutPrefix(next[i], "\x00")
		if !open {
			continue
		}
		for k := 2; taken[key(name)]; k++ {
			name = n.numbered(strings.TrimPrefix(next[i], "\x00"), k, x)
		}
		taken[key(name)] = true
		if name != j.Name {
			out[j.Name] = name
		}
	}
	return out
}

// limit is how long a name may be.
func (n *Names) limit() int {
	if n.Longest > 0 {
		return n.Longest
	}
	return longestName
}

// Marks are those of the sides in names that are fitted: its own, those of its public naming, or those that there were.
func (n *Names) Marks(x skeleton.Marks) skeleton.Marks {
	if n.Left != "" {
		return skeleton.Marks{Left: n.Left, Right: n.Right}
	}
	if m, err := skeleton.FindNameMap(n.Standard); err == nil && m.Marks != (skeleton.Marks{}) {
		return m.Marks
	}
	return x
}

// fitted is one name as it should be, whatever others are called.
func (n *Names) fitted(name string, x skeleton.Marks) string {
	stem, side := x.Split(name)
	if n.Letters != "" {
		stem = plain(stem)
		if n.Letters == "lower" {
			stem = strings.ToLower(stem)
		}
	}
	if !strings.HasPrefix(stem, n.Prefix) {
		stem = n.Prefix + stem
	}
	return n.joined(stem, "", side, x)
}

// joined puts a name together in as many letters as there may be: what is too much goes from the end of its stem.
func (n *Names) joined(stem, number string, side skeleton.Side, x skeleton.Marks) string {
	m := n.Marks(x)
	room := n.limit() - len(m.Join("", side)) - len(number)
	if len(stem) > room {
		stem = strings.ToValidUTF8(stem[:max(1, room)], "")
	}
	return m.Join(stem+number, side)
}

// numbered is a name with a number before its side.
func (n *Names) numbered(name string, k int, x skeleton.Marks) string {
	stem, side := n.Marks(x).Split(name)
	return n.joined(stem, "_"+strconv.Itoa(k), side, x)
}

// withoutAccents writes the letters of Latin-1 as those that they are read as.
var withoutAccents = strings.NewReplacer(
	"À", "A", "Á", "A", "Â", "A", "Ã", "A", "Ä", "A", "Å", "A", "Æ", "AE", "Ç", "C", "È", "E", "É", "E", "Ê", "E", "Ë", "E", "Ì", "I", "Í", "I",
	"Î", "I", "Ï", "I", "Ñ", "N", "Ò", "O", "Ó", "O", "Ô", "O", "Õ", "O", "Ö", "O", "Ø", "O", "Ù", "U", "Ú", "U", "Û", "U", "Ü", "U", "Ý", "Y",
	"ß", "ss", "à", "a", "á", "a", "â", "a", "ã", "a", "ä", "a", "å", "a", "æ", "ae", "ç", "c", "è", "e", "é", "e", "ê", "e", "ë", "e", "ì", "i",
	"í", "i", "î", "i", "ï", "i", "ñ", "n", "ò", "o", "ó", "o", "ô", "o", "õ", "o", "ö", "o", "ø", "o", "ù", "u", "ú", "u", "û", "u", "ü", "u",
	"ý", "y", "ÿ", "y",
)

// plain is a text of the letters a–z and A–Z, digits and underscores, that begins with no digit.
func plain(text string) string {
	var b strings.Builder
	for _, r := range withoutAccents.Replace(text) {
		switch {
		case unicode.Is(unicode.Mn, r): // an accent of its own
		case r < unicode.MaxASCII && (unicode.IsLetter(r) || unicode.IsDigit(r)) || r == '_':
			b.WriteRune(r)
		default:
			b.WriteByte('_')
		}
	}
	out := b.String()
	if out == "" || unicode.IsDigit(rune(out[0])) {
		out = "_" + out
	}
	return out
}
