package picture_test

import (
	"testing"

	"wisemarrow/demo"
	"wisemarrow/formats/picture"

	"github.com/stretchr/testify/require"
)

func TestThumbnailShowsTheCharacter(t *testing.T) {
	m, _ := demo.Odile(0.02)
	img := picture.Thumbnail(m, 60, 80, 0, nil)
	solid := 0
	for i := 3; i < len(img.Pix); i += 4 {
		if img.Pix[i] > 200 {
			solid++
		}
	}
	require.Greater(t, solid, 60*80/12)
	require.Less(t, solid, 60*80/2)
	require.Zero(t, img.NRGBAAt(1, 1).A, "the ground is transparent")
}
