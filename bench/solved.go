package main

import (
	"context"
	"fmt"
	"slices"
	"time"

	"wisemarrow/core/bind"
	"wisemarrow/core/deform"
	"wisemarrow/core/geom"
	"wisemarrow/core/guide"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/solve"
	"wisemarrow/core/weights"
	"wisemarrow/demo"
)

// solvedWeights holds weights that were solved for motion against the automatic bind that they start from: how far the
// skin is from the guide in poses that the solution did not see, and what the test reel says of both; of the cast and
// of strangers of a seed.
func solvedWeights() error {
	fmt.Println("Weights solved for motion, beside the automatic bind (distance to the guide in 12 unseen poses, % of the height)")
	fmt.Printf(
		"%-22s %8s %6s | %6s %6s %5s | %6s %6s | %6s %6s | %5s %5s | %5s %5s | %5s %5s | %6s\n",
		"character",
		"vertices",
		"frames",
		"mean",
		"solved",
		"ratio",
		"p99",
		"solved",
		"score",
		"solved",
		"over",
		"",
		"long",
		"",
		"crush",
		"",
		"s",
	)
	seed, err := benchSeed()
	if err != nil {
		return err
	}
	list := append([]demo.Variant(nil), castVariants()...)
	list = append(list, demo.Strangers(seed, 20)...)
	var ratio, n float64
	for _, v := range list {
		m, s := v.Make()
		w, report, err := bind.Automatic(context.Background(), m, s, bind.DefaultOptions, nil)
		if err != nil {
			fmt.Printf("%-22s not bound: %v\n", v.Name, err)
			continue
		}
		in, _ := m.Bindable()
		begin := time.Now()
		g, err := guide.NewSolid(context.Background(), in, w, s, guide.Options{})
		if err != nil {
			return fmt.Errorf("%s: %w", v.Name, err)
		}
		out, err := solve.ForMotion(
			context.Background(), in, w, s, g,
			solve.Options{Limits: bind.DefaultOptions.Limits, Dial: 1, Marks: skeleton.DefaultMarks}, nil, nil,
		)
		if err != nil {
			return fmt.Errorf("%s: %w", v.Name, err)
		}
		took := time.Since(begin)
		far, err := solve.Distances(
			context.Background(), in, s, g, pose.Anyhow(s, skeleton.DefaultMarks, seed+100, 12), w, out.Weights,
		)
		if err != nil {
			return err
		}
		var sheets [2]*deform.Checked
		for k, w := range []*weights.Weights{w, out.Weights} {
			if sheets[k], err = sheetOf(m, s, w, report); err != nil {
				return err
			}
		}
		h := geom.BoxOf(m.World()).Size().Y / 100
		fmt.Printf(
			"%-22s %8d %6d | %6.3f %6.3f %5.2f | %6.2f %6.2f | %6.3f %6.3f | %5d %5d | %5.2f %5.2f | %5.1f %5.1f | %6.1f\n",
			v.Name, len(m.Points), out.Frames, far[0].Mean/h, far[1].Mean/h, far[1].Mean/far[0].Mean, far[0].Most/h, far[1].Most/h,
			sheets[0].Score, sheets[1].Score, sheets[0].Over, sheets[1].Over,
			sheets[0].Worst[deform.FaultStretch]*deform.FaultLimit(deform.FaultStretch),
			sheets[1].Worst[deform.FaultStretch]*deform.FaultLimit(deform.FaultStretch),
			sheets[0].Worst[deform.FaultCrush]*deform.FaultLimit(deform.FaultCrush),
			sheets[1].Worst[deform.FaultCrush]*deform.FaultLimit(deform.FaultCrush), took.Seconds(),
		)
		ratio += far[1].Mean / far[0].Mean
		n++
	}
	fmt.Printf("%d characters, mean ratio %.2f\n", int(n), ratio/n)
	return nil
}

// tryingOf is the skin of a bind, with what it is measured.
func tryingOf(m *mesh.Mesh, s *skeleton.Skeleton, w *weights.Weights, report *bind.Report) (*deform.Skin, deform.CheckOptions, error) {
	tris, _ := m.Triangles()
	o := deform.CheckOptions{Cross: 10, Cover: pose.DefaultReel.Steps}
	o.Body, o.Layers = report.Worn(m)
	o.Rigid = report.Stiff(m)
	skin, err := deform.NewSkin(m.World(), tris, w, s, nil)
	return skin, o, err
}

// sheetOf tries a bind in the usual reel.
func sheetOf(m *mesh.Mesh, s *skeleton.Skeleton, w *weights.Weights, report *bind.Report) (*deform.Checked, error) {
	skin, o, err := tryingOf(m, s, w, report)
	if err != nil {
		return nil, err
	}
	return skin.Check(context.Background(), pose.NewReel(s, pose.DefaultReel), o, nil)
}

// guarded are solved weights without what they spoil, and their sheet.
func guarded(
	m *mesh.Mesh,
	s *skeleton.Skeleton,
	was, solved *weights.Weights,
	report *bind.Report,
) (*solve.Guarded, *deform.Checked, error) {
	ctx := context.Background()
	skin, o, err := tryingOf(m, s, was, report)
	if err != nil {
		return nil, nil, err
	}
	reel := pose.NewReel(s, pose.DefaultReel)
	var sheet *deform.Checked
	out, err := solve.Guard{
		Mesh: m, Skeleton: s, Marks: skeleton.DefaultMarks, Was: was, Cap: bind.DefaultOptions.Cap,
		Check: func(w *weights.Weights) ([]deform.Fault, error) {
			if sheet, err = sheetOf(m, s, w, report); err != nil {
				return nil, err
			}
			return sheet.Faults, nil
		},
		Before: func(kind string, frame int) (float64, error) {
			return skin.SpotTimes(ctx, reel, kind, frame, o)
		},
	}.Keep(solved)
	return out, sheet, err
}

// castVariants are the cast with their true skeletons.
func castVariants() []demo.Variant {
	return []demo.Variant{
		{Name: "Odile", Make: func() (*mesh.Mesh, *skeleton.Skeleton) { return demo.Odile(0.0135) }},
		{Name: "Bram", Make: func() (*mesh.Mesh, *skeleton.Skeleton) { return demo.Bram(0.0185) }},
		{Name: "Tansy", Make: func() (*mesh.Mesh, *skeleton.Skeleton) { return demo.Tansy(0.017) }},
		{Name: "Sedge", Make: func() (*mesh.Mesh, *skeleton.Skeleton) { return demo.Sedge(0.0105) }},
		{Name: "Plover", Make: func() (*mesh.Mesh, *skeleton.Skeleton) { return demo.Plover(0.0082) }},
		{Name: "Kite-tail", Make: func() (*mesh.Mesh, *skeleton.Skeleton) { return demo.KiteTail(0.02) }},
		{Name: "Samphire", Make: func() (*mesh.Mesh, *skeleton.Skeleton) { return demo.Samphire(0.0125) }},
	}
}

// solvedSpeed times the solution from 10k to 200k vertices, step by step, and a bind on a decimated copy beside a bind of
// the mesh itself.
func solvedSpeed() error {
	ctx := context.Background()
	fmt.Println("Weights solved for motion (s; growth is the exponent against the row above), and a bind on a copy of 20,000")
	fmt.Printf(
		"%9s %7s %7s %7s %7s %7s | %9s %9s %10s\n",
		"vertices",
		"frames",
		"guide",
		"solve",
		"growth",
		"MB",
		"automatic",
		"on a copy",
		"apart p99 %",
	)
	n0, t0 := 0, 0.0
	for _, cell := range []float64{0.0174, 0.0123, 0.0078, 0.0055, 0.0039} {
		m, s := demo.Odile(cell)
		begin := time.Now()
		w, _, err := bind.Automatic(ctx, m, s, bind.DefaultOptions, nil)
		if err != nil {
			return err
		}
		whole := time.Since(begin).Seconds()
		var out *solve.Solved
		var prepared time.Duration
		took, mb, err := peak(func() error {
			begin := time.Now()
			g, err := guide.NewSolid(ctx, m, w, s, guide.Options{})
			if err != nil {
				return err
			}
			prepared = time.Since(begin)
			out, err = solve.ForMotion(
				ctx,
				m,
				w,
				s,
				g,
				solve.Options{Limits: bind.DefaultOptions.Limits, Dial: 1, Marks: skeleton.DefaultMarks},
				nil,
				nil,
			)
			return err
		})
		if err != nil {
			return err
		}
		copied, apart := 0.0, 0.0
		if len(m.Points) > 20_000 {
			begin = time.Now()
			on, _, _, err := bind.OnDecimated(ctx, m, s, bind.DefaultOptions, 20_000, nil)
			if err != nil {
				return err
			}
			copied = time.Since(begin).Seconds()
			far, _, _ := deform.ApartQuickly(m.World(), w, on, s, skeleton.DefaultMarks)
			slices.Sort(far)
			apart = 100 * far[len(far)*99/100] / geom.BoxOf(m.World()).Size().Y
		}
		fmt.Printf("%9d %7d %7.1f %7.1f %7s %7.0f | %9.1f %9.1f %10.2f\n", len(m.Points), out.Frames, prepared.Seconds(), took.Seconds(),
			slope(n0, len(m.Points), t0, took.Seconds()), mb, whole, copied, apart)
		n0, t0 = len(m.Points), took.Seconds()
	}
	return nil
}
