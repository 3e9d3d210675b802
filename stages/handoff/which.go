package handoff

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"

	"wisemarrow/core/compare"
	"wisemarrow/studio"
)

// Compared is what differs, with the lines that say so.
type Compared struct {
	*compare.Report
	Said []string `json:"said"`
}

// Differences says what differs between two states, the earlier first.
func Differences(a, b *studio.State) Compared {
	r := compare.Compare(SideOf(a), SideOf(b))
	return Compared{r, Said(r)}
}

// Known is what is known of a file: by its content, the file that it is, by its stamp, where it comes from, and what was changed in
// it since.
type Known struct {
	Handed    []studio.Delivery `json:"handed"` // files of this very content
	Stamp     *Stamp            `json:"stamp,omitempty"`
	Character string            `json:"character,omitempty"` // its id, where it is in this workbench
	Name      string            `json:"name,omitempty"`
	Revision  int64             `json:"revision,omitempty"`
	Version   *studio.Version   `json:"version,omitempty"`
	Changed   *Compared         `json:"changed,omitempty"` // against that revision as it was handed over
	File      *studio.File      `json:"file,omitempty"`    // kept for a day, for what is brought in from it
	Said      string            `json:"said"`
}

// mostHanded is how many of those who were handed a file are told.
const mostHanded = 50

// Recognize says which version of which character a file is.
func Recognize(ctx context.Context, x *studio.Studio, u studio.Upload) (Known, error) {
	sum := sha256.Sum256(u.Data)
	out := Known{Stamp: ReadStamp(u.Data)}
	var err error
	if out.Handed, err = x.DeliveriesOf(ctx, hex.EncodeToString(sum[:]), mostHanded); err != nil {
		return out, err
	}
	switch {
	case len(out.Handed) > 0:
		out.Character, out.Revision = out.Handed[0].Character, out.Handed[0].Revision
	case out.Stamp != nil:
		out.Character, out.Revision = out.Stamp.Character, out.Stamp.Revision
	default:
		out.Handed, out.Said = []studio.Delivery{}, "This file carries no stamp, and no file of its content was handed over here."
		return out, nil
	}
	c, err := x.Character(ctx, out.Character)
	if errors.Is(err, studio.ErrNotFound) {
		out.Character, out.Revision, out.Said = "", 0, "It comes from a character that is not in this workbench."
		return out, nil
	}
	if err != nil {
		return out, err
	}
	out.Name = c.Name
	rev, err := x.Revision(ctx, out.Revision)
	if errors.Is(err, studio.ErrNotFound) || err == nil && rev.Character != c.ID {
		out.Revision, out.Said = 0, "It comes from "+c.Name+", from a revision that is no longer kept."
		return out, nil
	}
	if err != nil {
		return out, err
	}
	if out.Version, err = x.VersionOf(ctx, c.ID, out.Revision); err != nil {
		return out, err
	}
	if len(out.Handed) > 0 {
		out.Said = "It is the file that was handed over, byte for byte."
		return out, nil
	}
	report, file, why, err := against(ctx, x, u, out.Stamp, rev)
	if err != nil {
		return out, err
	}
	out.Said = why
	if report != nil {
		out.Changed, out.File = &Compared{report, Said(report)}, file
	}
	return out, nil
}

// against compares a file with the revision that it comes from, as that was handed over; why says, where it cannot be read, that.
func against(
	ctx context.Context,
	x *studio.Studio,
	u studio.Upload,
	stamp *Stamp,
	at studio.Revision,
) (*compare.Report, *studio.File, string, error) {
	theirs, err := ReadBack(u.Name, u.Data, x.Limits())
	if err != nil {
		return nil, nil, "It comes from there, and what has changed in it cannot be read: " + studio.Plain(err), nil
	}
	if theirs == nil {
		return nil, nil, "It comes from there. What has changed in it can be told of GLB and VRM files.", nil
	}
	state, err := x.Load(ctx, at)
	if err != nil {
		return nil, nil, "", err
	}
	ours := *state
	if p := ours.Settings.Profile; p != nil && stamp != nil && stamp.Profile == p.Name {
		if ours, _, err = Meet(ctx, ours, p, nil, nil); err != nil {
			return nil, nil, "", err
		}
		if ours.Weights != nil {
			ours.Weights = stored(&ours, p, 0)
		}
	}
	report := compare.Compare(SideOf(&ours), *theirs)
	if report.Same() {
		return report, nil, "It is that revision: nothing in it was changed.", nil
	}
	file, err := x.TakeIn(ctx, u)
	if err != nil {
		return nil, nil, "", err
	}
	return report, &file, "It comes from there, and was changed elsewhere since.", nil
}
