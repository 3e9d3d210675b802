package motion

import (
	"fmt"

	"wisemarrow/core/deform"
	"wisemarrow/core/wording"
)

// Seen says what a fault looks like, in lengths, shares, and times rather than in parts of a limit.
func Seen(f deform.Fault) string {
	switch {
	case f.Kind == deform.FaultSpill && f.Away > 0 && f.Far > 0:
		return fmt.Sprintf("moves %s though its bone is %s away", wording.Length(f.Away), wording.Length(f.Far))
	case f.Kind == deform.FaultSpill && f.Away > 0:
		return wording.Length(f.Away) + " from where its bone takes it"
	case f.Kind == deform.FaultRigid && f.Change != 0:
		return "a rigid piece to " + wording.Percent(1+f.Change) + " of its size"
	case f.Kind == deform.FaultVolume && f.Limb != "":
		return f.Limb + " " + wording.Signed(f.Change) + " of its volume"
	}
	return seen(f.Kind, f.Size)
}

// seen says how large a fault of a kind is.
func seen(kind string, size float64) string {
	switch kind {
	case deform.FaultSpill:
		return "skin off by " + wording.Percent(size) + " of what the bone reaches"
	case deform.FaultStretch:
		return fmt.Sprintf("edges to %.1f times their length", size)
	case deform.FaultCrush:
		return "edges to " + wording.Percent(1/max(1, size)) + " of their length"
	case deform.FaultPinch:
		return wording.Percent(size) + " of the skin in creases"
	case deform.FaultFlip:
		return wording.Percent(size) + " of the skin inside out"
	case deform.FaultVolume:
		return "a limb's volume off by " + wording.Percent(size)
	case deform.FaultRigid:
		return "a rigid piece's size off by " + wording.Percent(size)
	case deform.FaultCross:
		return wording.Percent(size) + " of the skin through itself"
	}
	return wording.Percent(size) + " of what is worn under the skin"
}

// short is seen in a few signs, for a table.
func short(kind string, size float64) string {
	switch {
	case size == 0:
		return "none"
	case kind == deform.FaultStretch:
		return fmt.Sprintf("×%.1f", size)
	case kind == deform.FaultCrush:
		return "to " + wording.Percent(1/max(1, size))
	}
	return wording.Percent(size)
}
