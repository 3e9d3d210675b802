package main

import (
	"context"
	"encoding/csv"
	"fmt"
	"os"
	"slices"
	"strconv"

	"wisemarrow/core/fit"
	"wisemarrow/demo"
)

// coats fits strangers in long coats; WISEMARROW_BENCH_SEED makes others.
func coats() error {
	seed, err := benchSeed()
	if err != nil {
		return err
	}
	fmt.Printf("Fit of strangers in coats (share of height); seed %d\n", seed)
	return fits(demo.Coats(seed, 36))
}

// garments fits strangers in garments that hide some of the body; WISEMARROW_BENCH_SEED makes others.
func garments() error {
	seed, err := benchSeed()
	if err != nil {
		return err
	}
	fmt.Printf("Fit of strangers in garments (share of height); seed %d\n", seed)
	return fits(demo.Garments(seed, 48))
}

// poses fits strangers that do not stand still; WISEMARROW_BENCH_SEED makes others.
func poses() error {
	seed, err := benchSeed()
	if err != nil {
		return err
	}
	fmt.Printf("Fit of strangers in poses (share of height); seed %d\n", seed)
	return fits(demo.Poses(seed, 52))
}

// contacts fits strangers whose hands or legs touch the body; WISEMARROW_BENCH_SEED makes others.
func contacts() error {
	seed, err := benchSeed()
	if err != nil {
		return err
	}
	fmt.Printf("Fit of strangers whose limbs touch (share of height); seed %d\n", seed)
	return fits(demo.Contacts(seed, 24))
}

// populations fits every population and holds each row against the table that the repository has;
// WISEMARROW_TABLES=write makes the table anew. The fit is the same on every machine: a row that is worse is worse.
func populations() error {
	was, err := demo.ReadFits(fitsTable)
	if err != nil && !os.IsNotExist(err) {
		return err
	}
	all := slices.Concat(
		demo.Variants(),
		demo.Strangers(1, 72),
		demo.Coats(1, 36),
		demo.Poses(1, 52),
		demo.Garments(1, 48),
		demo.Contacts(1, 24),
	)
	rows := [][]string{{"character", "mean_percent", "worst_percent", "at"}}
	worse := 0
	for _, v := range all {
		m, truth := v.Make()
		s, report, err := fit.Fit(context.Background(), m, fit.Options{Params: v.Params}, nil)
		if err != nil {
			return fmt.Errorf("%s: %w", v.Name, err)
		}
		mean, worst, at := demo.FitErrorOf(v, s, truth, report)
		rows = append(rows, []string{v.Name, strconv.FormatFloat(100*mean, 'f', 2, 64), strconv.FormatFloat(100*worst, 'f', 2, 64), at})
		if why := was.Worse(v.Name, mean, worst); why != "" {
			worse++
			fmt.Printf("%s: %s\n", v.Name, why)
		}
	}
	beings := demo.Creatures(1, 39)
	for _, c := range beings {
		m, truth := c.Make()
		s, _, err := fit.Fit(context.Background(), m, fit.Options{Params: demo.CreatureParams}, nil)
		if err != nil {
			return fmt.Errorf("%s: %w", c.Name, err)
		}
		r := demo.Compare(m, s, truth)
		rows = append(rows, []string{c.Name, strconv.FormatFloat(100*r.Mean, 'f', 2, 64), strconv.FormatFloat(100*r.Worst, 'f', 2, 64),
			fmt.Sprintf("%d of %d limbs", r.Found, r.Limbs)})
		if why := was.Worse(c.Name, r.Mean, r.Worst); why != "" {
			worse++
			fmt.Printf("%s: %s\n", c.Name, why)
		}
	}
	fmt.Printf("%d characters, %d worse than in %s\n", len(all)+len(beings), worse, fitsTable)
	if os.Getenv("WISEMARROW_TABLES") != "write" {
		return nil
	}
	f, err := os.Create(fitsTable)
	if err != nil {
		return err
	}
	w := csv.NewWriter(f)
	if err := w.WriteAll(rows); err != nil {
		return err
	}
	return f.Close()
}

const fitsTable = "bench/tables/fits.csv"
