package studiotest

import (
	"context"
	"slices"
	"strings"

	"wisemarrow/studio"
)

// Versions implements studio.Versions.
func (m *Memory) Versions(_ context.Context, character string) (out []studio.Version, err error) {
	for _, v := range m.Named {
		if v.Character == character {
			out = append(out, v)
		}
	}
	return out, nil
}

// KeepVersion implements studio.Versions.
func (m *Memory) KeepVersion(_ context.Context, v studio.Version, picture []byte) (studio.Version, error) {
	for _, o := range m.Named {
		if o.Character == v.Character && strings.EqualFold(o.Name, v.Name) {
			return v, studio.ErrTaken
		}
	}
	v.ID, v.Pictured = int64(len(m.Named)+1), picture != nil
	m.Named = append(m.Named, v)
	return v, nil
}

// Withdraw implements studio.Versions.
func (m *Memory) Withdraw(_ context.Context, character string, id int64, why, author string) error {
	i := slices.IndexFunc(m.Named, func(v studio.Version) bool { return v.Character == character && v.ID == id && v.Withdrawn == "" })
	if i < 0 {
		return studio.ErrNotFound
	}
	m.Named[i].Withdrawn, m.Named[i].WithdrawnBy = why, author
	return nil
}

// Picture implements studio.Versions.
func (m *Memory) Picture(context.Context, string, int64) ([]byte, error) {
	return nil, studio.ErrNotFound
}

// Delivered implements studio.Versions.
func (m *Memory) Delivered(_ context.Context, d studio.Delivery) error {
	m.Handed = append(m.Handed, d)
	return nil
}

// Deliveries implements studio.Versions.
func (m *Memory) Deliveries(_ context.Context, character string, limit int) (out []studio.Delivery, err error) {
	for _, d := range slices.Backward(m.Handed) {
		if d.Character == character && len(out) < limit {
			out = append(out, d)
		}
	}
	return out, nil
}

// DeliveriesOf implements studio.Versions.
func (m *Memory) DeliveriesOf(_ context.Context, hash string, limit int) (out []studio.Delivery, err error) {
	for _, d := range slices.Backward(m.Handed) {
		if d.Hash == hash && len(out) < limit {
			out = append(out, d)
		}
	}
	return out, nil
}
