package studio

import (
	"context"
	"testing"
	"time"

	"wisemarrow/core/finding"

	"github.com/stretchr/testify/require"
)

// Tries that nobody asks for any more end; those that somebody asks for go on.
func TestTriesEndWhenNobodyAsks(t *testing.T) {
	x := &Studio{}
	gone := &begunTries{asked: time.Now().Add(-2 * triesUnasked)}
	ctx, cancel := context.WithCancel(context.Background())
	x.whileAsked(ctx, cancel, gone)
	require.ErrorIs(t, ctx.Err(), context.Canceled)

	asked := &begunTries{asked: time.Now()}
	ctx, cancel = context.WithCancel(context.Background())
	ended := make(chan struct{})
	go func() { x.whileAsked(ctx, cancel, asked); close(ended) }()
	time.Sleep(triesUnasked/6 + 200*time.Millisecond)
	require.NoError(t, ctx.Err())
	cancel()
	<-ended
}

// A remedy that brings more harm than it mends does not help, nor one that brings what blocks;
// notes weigh nothing.
func TestARemedyThatMakesThingsWorseDoesNotHelp(t *testing.T) {
	f := finding.Finding{Code: "bone_outside", Severity: finding.Harms, Count: 2, Title: "2 bones leave the mesh"}
	others := finding.Finding{Code: "joint_outside", Severity: finding.Harms, Count: 1, Title: "1 joint is outside the mesh"}
	before := []finding.Finding{f, others}
	for _, c := range []struct {
		name  string
		after []finding.Finding
		helps bool
		left  int
	}{
		{"all of it goes", []finding.Finding{others}, true, 0},
		{"two go, two others come", []finding.Finding{{Code: "joint_outside", Severity: finding.Harms, Count: 3, Title: "3 joints are outside the mesh"}}, true, 0},
		{"two go, three others come", []finding.Finding{{Code: "joint_outside", Severity: finding.Harms, Count: 4, Title: "4 joints are outside the mesh"}}, false, 0},
		{"two go, one comes that blocks", []finding.Finding{others, {Code: "no_root", Severity: finding.Blocks, Count: 1, Title: "There is no root"}}, false, 0},
		{"two go, notes come", []finding.Finding{others, {Code: "unsure", Severity: finding.Note, Count: 9, Title: "9 joints are unsure"}}, true, 0},
		{"nothing changes", before, false, 2},
	} {
		helps, left, said := compare(f, before, c.after)
		require.Equal(t, c.helps, helps, "%s: %s", c.name, said)
		require.Equal(t, c.left, left, c.name)
	}
}
