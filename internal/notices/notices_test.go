package notices_test

import (
	"path/filepath"
	"testing"

	"wisemarrow/internal/notices"
	"wisemarrow/internal/notices/collect"

	"github.com/stretchr/testify/require"
)

func TestNoticesAreOfWhatIsCarriedNow(t *testing.T) {
	dir, err := filepath.Abs("../..")
	require.NoError(t, err)
	now, err := collect.Notices(dir)
	require.NoError(t, err)
	require.True(t, now == notices.Text, "what the programs carry has changed: run go run ./internal/notices/write")
	for _, name := range []string{"Go standard library", "github.com/go-chi/chi", "gorm.io/gorm", "three-mesh-bvh", "bulma", "alegreya", "Lucide icons"} {
		require.Contains(t, notices.Text, name)
	}
}
