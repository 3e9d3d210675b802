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
	// Tried are further ones, of what its test in motion has found.
	Tried []Step
}

// Step is an operation by name, with its parameters.
type Step struct {
	Op     string
	Params map[string]any
}

// Cast returns the demo cast at the resolution that the demo shows.
func Cast() []Member {
	return []Member{
		{
			"Odile",
			"Ferrywoman. Arms half down, one clean surface.",
			"odile.glb",
			func() (*mesh.Mesh, *skeleton.Skeleton) { return OdileWithYouth(0.0135) },
			[]Step{
				{"fit_starter", nil},
				{"set_axes", nil},
				{"bind_heat", nil},
				{"follow_shape", map[string]any{"targets": []string{"young"}}},
			},
			[]Step{{"propose_correctives", nil}, {"check_motion", map[string]any{"builds": []string{"young"}}}},
		},
		{
			"Bram",
			"Lamplighter. Belt, buttons, boots and lantern are loose pieces.",
			"bram.glb",
			func() (*mesh.Mesh, *skeleton.Skeleton) { return BramWithFace(0.0185) },
			append([]Step{{"fit_starter", nil}, {"set_axes", nil}, {"bind_heat", nil}}, bramsFace()...),
			nil,
		},
		{
			"Tansy",
			"Puppet mender. Shirt, coat, plates and hair lie over the body in layers.",
			"tansy.glb",
			func() (*mesh.Mesh, *skeleton.Skeleton) { return Tansy(0.0170) },
			[]Step{{"fit_starter", nil}, {"set_axes", nil}, {"bind_auto", nil}},
			nil,
		},
		{
			"Sedge",
			"Otter. Four legs, a long tail, a neckerchief.",
			"sedge.glb",
			func() (*mesh.Mesh, *skeleton.Skeleton) { return Sedge(0.0105) },
			[]Step{{"fit_starter", map[string]any{"starter": "quadruped", "tail": 5, "spine": 4, "neck": 2}}},
			nil,
		},
		{
			"Plover",
			"Wading bird. Wings spread, legs like reeds.",
			"plover.glb",
			func() (*mesh.Mesh, *skeleton.Skeleton) { return Plover(0.0048) },
			[]Step{{"fit_starter", map[string]any{"starter": "bird"}}},
			nil,
		},
		{
			"Kite-tail",
			"Ribbon dragon. One long chain from nose to tassel.",
			"kite_tail.glb",
			func() (*mesh.Mesh, *skeleton.Skeleton) { return KiteTail(0.0125) },
			[]Step{{"fit_starter", map[string]any{"starter": "chain", "count": KiteJoints}}},
			nil,
		},
		{
			"Samphire",
			"Prompter. A hood on six arms, read from its shape.",
			"samphire.glb",
			func() (*mesh.Mesh, *skeleton.Skeleton) { return Samphire(0.0125) },
			[]Step{{"fit_starter", map[string]any{"starter": "shape"}}},
			nil,
		},
		{
			"Odile as delivered",
			"The ferrywoman as a careless export sent her.",
			"odile_export_final2.glb",
			func() (*mesh.Mesh, *skeleton.Skeleton) { return OdileAsDelivered(0.0135) },
			nil,
			nil,
		},
		{
			"Bram as rigged",
			"The lamplighter as a hasty rig came: pieces bound in a second pose, joints moved, hung and rolled.",
			"bram_rig_last.glb",
			func() (*mesh.Mesh, *skeleton.Skeleton) { return Bram(0.0185) },
			brokenRig,
			nil,
		},
	}
}

// brokenRig is how a good rig is spoiled: the loose pieces are bound while the body leans, so
// that there are two bind poses; a hand is moved under the skin and a clavicle hung
// elsewhere; the spine is rolled against itself, and the right arm turned the wrong way round.
var brokenRig = []Step{
	{"fit_starter", nil}, {"set_axes", nil}, {"bind_heat", nil},
	{"bind_policy", map[string]any{"elsewhere": true}},
	{"swing_limb", map[string]any{"joint": "spine_1", "degrees": []float64{9, 0, 0}, "both": false}},
	{"follow_beneath", map[string]any{"mode": "auto"}},
	{"swing_limb", map[string]any{"joint": "spine_1", "degrees": []float64{-9, 0, 0}, "both": false}},
	{"bind_policy", map[string]any{"elsewhere": false}},
	{"swing_limb", map[string]any{"joint": "forearm_l", "degrees": []float64{0, 0, 14}, "both": false}},
	{"reparent_joint", map[string]any{"joints": []string{"clavicle_r"}, "parent": "spine_1"}},
	{"roll_axes", map[string]any{"joints": []string{"spine_2"}, "degrees": 40}},
	{"roll_axes", map[string]any{"joints": []string{"upper_arm_r"}, "branch": true, "degrees": 180}},
}
