package demo

import (
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
)

// Production is the name of the demo production.
const Production = "The Saltmarsh Lantern Troupe"

// Member is one character of the demo cast.
type Member struct {
	Name string
	Role string
	File string // the name of the file it seems to come from
	Make func() (*mesh.Mesh, *skeleton.Skeleton)
	// Steps are the operations that the demo has already done.
	Steps []Step
}

// Step is an operation by name, with its parameters.
type Step struct {
	Op     string
	Params map[string]any
}

// Cast returns the demo cast at the resolution that the demo shows.
func Cast() []Member {
	return []Member{
		{"Odile", "Ferrywoman. Arms half down, one clean surface.", "odile.obj", func() (*mesh.Mesh, *skeleton.Skeleton) { return Odile(0.0135) },
			[]Step{{"fit_starter", nil}, {"set_axes", nil}, {"bind_heat", nil}}},
		{"Bram", "Lamplighter. Belt, buttons, boots and lantern are loose pieces.", "bram.glb", func() (*mesh.Mesh, *skeleton.Skeleton) { return Bram(0.0185) },
			[]Step{{"fit_starter", nil}, {"set_axes", nil}, {"bind_heat", nil}}},
		{"Odile as delivered", "The ferrywoman as a careless export sent her.", "odile_export_final2.glb", func() (*mesh.Mesh, *skeleton.Skeleton) { return OdileAsDelivered(0.0135) }, nil},
	}
}
