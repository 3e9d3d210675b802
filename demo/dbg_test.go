package demo

import (
	"context"
	"testing"
	"fmt"
	"sort"

	"wisemarrow/core/bind"
	"wisemarrow/core/deform"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
)

func TestDbg(t *testing.T) {
	for _, c := range []struct {
		name string
		make func() (*mesh.Mesh, *skeleton.Skeleton)
	}{{"Odile", func() (*mesh.Mesh, *skeleton.Skeleton) { return Odile(0.0135) }}, {"Bram", func() (*mesh.Mesh, *skeleton.Skeleton) { return Bram(0.02) }},
		{"Sedge", func() (*mesh.Mesh, *skeleton.Skeleton) { return Sedge(0.013) }}, {"Kite-tail", func() (*mesh.Mesh, *skeleton.Skeleton) { return KiteTail(0.02) }}, {"Tansy", func() (*mesh.Mesh, *skeleton.Skeleton) { return Tansy(0.016) }}, {"Plover", func() (*mesh.Mesh, *skeleton.Skeleton) { return Plover(0.0075) }}} {
		m, s := c.make()
		auto, report, err := bind.Automatic(context.Background(), m, s, bind.DefaultOptions, nil)
		if err != nil { t.Fatal(err) }
		tris, _ := m.Triangles()
		skin, _ := deform.NewSkin(m.World(), tris, auto, s, nil)
		o := pose.DefaultReel
		o.Steps = 2
		with := deform.CheckOptions{Cross: 24, Cover: o.Steps}
		with.Body, with.Layers = report.Worn(m)
		ch, _ := skin.Check(context.Background(), pose.NewReel(s, o), with, nil)
		t.Log(c.name, len(m.Points), "score", ch.Score, "over", ch.Over)
		by := map[string][]deform.Fault{}
		for _, f := range ch.Faults { by[f.Kind] = append(by[f.Kind], f) }
		for k, l := range by {
			sort.Slice(l, func(i, j int) bool { return l[i].Size > l[j].Size })
			out := ""
			for _, f := range l[:min(7, len(l))] { out += fmt.Sprintf(" [%s %.3g %d]", f.Pose, f.Size, f.Count) }
			t.Log("   ", k, out)
		}
	}
}
