package main

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"os"
	"slices"
	"strconv"
	"strings"
	"time"

	"wisemarrow/core/fit"
	"wisemarrow/core/skeleton"
	"wisemarrow/demo"

	"gonum.org/v1/gonum/spatial/r3"
)

// variants fits the sixty variants of the cast.
func variants() error {
	fmt.Println("Fit of variants in pose, build and state (share of height)")
	return fits(demo.Variants())
}

// strangers fits characters that are none of the cast; WISEMARROW_BENCH_SEED makes others.
func strangers() error {
	seed, err := benchSeed()
	if err != nil {
		return err
	}
	fmt.Printf("Fit of strangers: hats, hair, bags, things held, coats, heads, hands (share of height); seed %d\n", seed)
	return fits(demo.Strangers(seed, 72))
}

// benchSeed is the seed of the strangers, by default 1.
func benchSeed() (uint64, error) {
	seed, err := strconv.ParseUint(cmp.Or(os.Getenv("WISEMARROW_BENCH_SEED"), "1"), 10, 64)
	if err != nil {
		return 0, fmt.Errorf("WISEMARROW_BENCH_SEED: %w", err)
	}
	return seed, nil
}

// tally is what the fits of one kind came to.
type tally struct {
	n     int
	mean  float64
	all   []float64 // the worst joint of each
	at    string
	worst float64
	took  []float64
	// Hinges that fold right, of all; joints said to be sure, and those of them within 3 %
	// of the height; fingers that are right, wrong and said to be unsure, wrong and said to
	// be sure.
	hinges, right, sure, near           int
	fingers, goodFingers, unsureFingers int
}

// joint is what the fits came to at one joint, both sides together.
type joint struct {
	n, sure, near int
	mean, worst   float64
}

func fits(list []demo.Variant) error {
	width := 0
	for _, v := range list {
		width = max(width, len(v.Name))
	}
	fmt.Printf("%-*s %9s %8s %8s %-12s %8s\n", width, "", "vertices", "mean %", "worst %", "at", "ms")
	sums, joints := map[string]*tally{}, map[string]*joint{}
	var order []string
	for _, v := range list {
		x := sums[v.Params.Starter]
		if x == nil {
			x = &tally{}
			sums[v.Params.Starter] = x
			order = append(order, v.Params.Starter)
		}
		m, truth := v.Make()
		begin := time.Now()
		s, report, err := fit.Fit(context.Background(), m, fit.Options{Params: v.Params}, nil)
		if err != nil {
			fmt.Printf("%-*s %9d not fitted: %v\n", width, v.Name, len(m.Points), err)
			continue
		}
		x.took = append(x.took, float64(time.Since(begin).Milliseconds()))
		height := demo.HeightOf(v, truth, report)
		mean, worst, at := demo.FitErrorOf(v, s, truth, report)
		x.n++
		x.mean += mean
		x.all = append(x.all, worst)
		turned, err := s.Orient(nil, skeleton.DefaultConvention, skeleton.DefaultMarks)
		if err != nil {
			return err
		}
		hinges, limit := demo.HingeErrors(turned), 10.0
		if strings.HasPrefix(v.Name, "pose ") || strings.HasPrefix(v.Name, "contact ") {
			hinges, limit = demo.PosedHingeErrors(turned, truth), 20
		}
		var wrong []string
		for name, off := range hinges {
			x.hinges++
			if off < limit {
				x.right++
			} else {
				wrong = append(wrong, fmt.Sprintf("%s %.0f°", name, off))
			}
		}
		slices.Sort(wrong)
		good, unsure, all := demo.FingersFound(s, truth)
		x.fingers, x.goodFingers, x.unsureFingers = x.fingers+all, x.goodFingers+good, x.unsureFingers+unsure
		var far []string
		for _, j := range s.Joints {
			i := truth.Index(j.Name)
			if i < 0 || demo.OfFinger(j.Name) {
				continue
			}
			name := strings.TrimSuffix(strings.TrimSuffix(j.Name, "_l"), "_r")
			if joints[name] == nil {
				joints[name] = &joint{}
			}
			k, off := joints[name], r3.Norm(r3.Sub(j.Pos, truth.Joints[i].Pos))/height
			k.n, k.mean, k.worst = k.n+1, k.mean+off, max(k.worst, off)
			if j.Confidence < skeleton.Sure {
				continue
			}
			x.sure++
			k.sure++
			if off < 0.03 {
				x.near++
				k.near++
			} else {
				far = append(far, fmt.Sprintf("%s %.1f", j.Name, 100*off))
			}
		}
		if worst > x.worst {
			x.worst, x.at = worst, at
		}
		fmt.Printf("%-*s %9d %8.2f %8.2f %-12s %8.0f", width, v.Name, len(m.Points), 100*mean, 100*worst, at, x.took[len(x.took)-1])
		if all > 0 {
			fmt.Printf("  fingers %d right, %d unsure of %d", good, unsure, all)
		}
		if len(wrong) > 0 {
			fmt.Printf("  hinges off: %s", strings.Join(wrong, ", "))
		}
		if len(far) > 0 {
			fmt.Printf("  sure, and far: %s", strings.Join(far, ", "))
		}
		fmt.Println()
	}
	fmt.Printf(
		"%-11s %4s %9s %9s %9s %-14s %9s %12s %22s %26s\n",
		"all of",
		"n",
		"mean %",
		"p95 %",
		"worst %",
		"at",
		"median ms",
		"hinges right",
		"80 % sure, within 3 %",
		"fingers right, unsure, of",
	)
	for _, name := range order {
		x := sums[name]
		if x.n == 0 {
			continue
		}
		slices.Sort(x.all)
		slices.Sort(x.took)
		fmt.Printf(
			"%-11s %4d %9.2f %9.2f %9.2f %-14s %9.0f %5d of %3d %9d, %9.1f %% %12d, %4d of %4d\n",
			name,
			x.n,
			100*x.mean/float64(x.n),
			100*x.all[len(x.all)*95/100],
			100*x.worst,
			x.at,
			x.took[len(x.took)/2],
			x.right,
			x.hinges,
			x.sure,
			100*float64(x.near)/float64(max(1, x.sure)),
			x.goodFingers,
			x.unsureFingers,
			x.fingers,
		)
	}
	fmt.Printf("%-14s %5s %8s %8s %6s %10s\n", "joint", "n", "mean %", "worst %", "sure", "within 3 %")
	for _, name := range slices.SortedFunc(maps.Keys(joints), func(a, b string) int {
		return cmp.Or(cmp.Compare(joints[b].worst, joints[a].worst), strings.Compare(a, b))
	}) {
		k := joints[name]
		fmt.Printf("%-14s %5d %8.2f %8.2f %6d %10d\n", name, k.n, 100*k.mean/float64(k.n), 100*k.worst, k.sure, k.near)
	}
	return nil
}
