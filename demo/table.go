package demo

import (
	"encoding/csv"
	"fmt"
	"os"
	"strconv"
	"strings"

	"wisemarrow/core/fit"
	"wisemarrow/core/skeleton"
)

// Fits are how far the fit of each character of the populations was off when the table was made, as shares of the
// height.
type Fits map[string]struct{ Mean, Worst float64 }

// ReadFits reads a table of fits.
func ReadFits(path string) (Fits, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	rows, err := csv.NewReader(f).ReadAll()
	if err != nil {
		return nil, fmt.Errorf("%s: %w", path, err)
	}
	out := Fits{}
	for i, r := range rows[min(1, len(rows)):] {
		mean, err1 := strconv.ParseFloat(r[1], 64)
		worst, err2 := strconv.ParseFloat(r[2], 64)
		if err1 != nil || err2 != nil {
			return nil, fmt.Errorf("%s, row %d: %v is no row of a fit", path, i+2, r)
		}
		out[r[0]] = struct{ Mean, Worst float64 }{mean / 100, worst / 100}
	}
	return out, nil
}

// Has reports whether a character is in the table.
func (f Fits) Has(name string) bool {
	_, ok := f[name]
	return ok
}

// A fit may be so much worse than in the table before that is told: rounding of the table, and a joint or two that
// land elsewhere in a coarse mesh. Measured on changes that meant no harm.
const (
	meanNoise  = 0.0025
	worstNoise = 0.012
)

// Worse says in what a fit is worse than in the table, "" for nothing; a character that is not in it is not judged.
func (f Fits) Worse(name string, mean, worst float64) string {
	was, ok := f[name]
	switch {
	case !ok:
		return ""
	case mean > was.Mean+meanNoise:
		return fmt.Sprintf("off by %.2f %% on average, and was by %.2f %%", 100*mean, 100*was.Mean)
	case worst > was.Worst+worstNoise:
		return fmt.Sprintf("off by %.2f %% at worst, and was by %.2f %%", 100*worst, 100*was.Worst)
	}
	return ""
}

// FitErrorOf is FitError over the height that a character of the populations is measured by.
func FitErrorOf(v Variant, s, truth *skeleton.Skeleton, report *fit.Report) (mean, worst float64, at string) {
	return FitError(s, truth, HeightOf(v, truth, report))
}

// HeightOf is the height that a character of the populations is measured by, metres: a hat is no measure of it, nor is
// how tall it sits.
func HeightOf(v Variant, truth *skeleton.Skeleton, report *fit.Report) float64 {
	switch {
	case v.Height > 0:
		return v.Height
	case strings.HasPrefix(v.Name, "stranger"):
		return truth.Height()
	}
	return report.Height
}
