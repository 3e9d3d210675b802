package demo

import (
	"context"
	"testing"

	"wisemarrow/core/fit"
	"wisemarrow/core/skeleton"
	"wisemarrow/internal/need"

	"github.com/stretchr/testify/require"
)

// Every hinge of the true skeletons and of what the fit finds folds the right way, in its
// plane within 10°. Every seventh of the variants; bench/ tries them all.
func TestHingesOfVariantsFoldTheRightWay(t *testing.T) {
	need.Time(t)
	for i, v := range Variants() {
		if i%7 != 2 {
			continue
		}
		m, truth := v.Make()
		fitted, _, err := fit.Fit(context.Background(), m, fit.Options{Params: v.Params}, nil)
		require.NoError(t, err, v.Name)
		for what, s := range map[string]*skeleton.Skeleton{"true": truth, "fitted": fitted} {
			s, err := s.Orient(nil, skeleton.DefaultConvention, skeleton.DefaultMarks)
			require.NoError(t, err)
			errors := HingeErrors(s)
			require.Len(t, errors, 8)
			for joint, off := range errors {
				require.Less(t, off, 10.0, "%s, %s: %s", v.Name, what, joint)
			}
		}
	}
}
