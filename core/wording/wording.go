// Package wording writes numbers the way people read them: counts with the right plural, lengths in the unit that
// fits, shares in percent.
package wording

import (
	"fmt"
	"math"
	"strconv"
	"strings"
)

// Count writes a number with what is counted, "1 vertex" or "12 400 vertices".
func Count(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return Thousands(n) + " " + many
}

// Some names up to three things, and counts more.
func Some(names []string, one, many string) string {
	if len(names) > 3 {
		return Count(len(names), one, many)
	}
	return strings.Join(names, ", ")
}

// Thousands writes a number with thin spaces between groups of three digits.
func Thousands(n int) string {
	s := strconv.Itoa(n)
	for i := len(s) - 3; i > 0 && s[i-1] != '-'; i -= 3 {
		s = s[:i] + "\u202f" + s[i:]
	}
	return s
}

// Length writes meters in the unit that reads best. What is too short to be seen is not told to the last digit.
func Length(m float64) string {
	switch a := math.Abs(m); {
	case a == 0:
		return "0 mm"
	case a < 0.00001:
		return "under 0.01 mm"
	case a < 0.0001:
		return fmt.Sprintf("%.2f mm", 1000*m)
	case a < 0.01:
		return fmt.Sprintf("%.1f mm", 1000*m)
	case a < 1:
		return fmt.Sprintf("%.1f cm", 100*m)
	case a < 1000:
		return fmt.Sprintf("%.2f m", m)
	}
	return Thousands(int(math.Round(m))) + " m"
}

// Bytes writes a size.
func Bytes(n int) string {
	switch {
	case n < 1000:
		return fmt.Sprintf("%d bytes", n)
	case n < 1_000_000:
		return fmt.Sprintf("%.0f kB", float64(n)/1000)
	}
	return fmt.Sprintf("%.1f MB", float64(n)/1e6)
}

// Percent writes a share, with a digit more where it is below one percent.
func Percent(share float64) string {
	switch a := math.Abs(share); {
	case a == 0:
		return "0%"
	case a < 0.0001:
		return "under 0.01%"
	case a < 0.00095:
		return fmt.Sprintf("%.2f%%", 100*share)
	case a < 0.0095:
		return fmt.Sprintf("%.1f%%", 100*share)
	}
	return fmt.Sprintf("%.0f%%", 100*share)
}

// Signed is Percent with its sign, "+5%" or "−17%".
func Signed(share float64) string {
	if share < 0 {
		return "\u2212" + Percent(-share)
	}
	return "+" + Percent(share)
}

// Or lists alternatives: "a", "a or b", "a, b or c".
func Or(list []string) string {
	if len(list) < 2 {
		return strings.Join(list, "")
	}
	return strings.Join(list[:len(list)-1], ", ") + " or " + list[len(list)-1]
}

// Number writes a number to six digits, without an exponent where people would not write one.
func Number(x float64) string {
	switch a := math.Abs(x); {
	case a >= 1e4 && a < 1e15 && x == math.Trunc(x):
		return Thousands(int(x))
	case a >= 1e-4 && a < 1e6:
		x, _ = strconv.ParseFloat(strconv.FormatFloat(x, 'g', 6, 64), 64)
		return strconv.FormatFloat(x, 'f', -1, 64)
	}
	return strconv.FormatFloat(x, 'g', 6, 64)
}
