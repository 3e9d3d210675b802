package skeleton

import (
	"fmt"

	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/spatial/r3"
)

// Segment lengths and heights as shares of body height (Drillis & Contini
// 1966, as tabled in Winter, Biomechanics and Motor Control of Human Movement).
const (
	ShoulderHeight = 0.818
	HipHeight      = 0.530
	KneeHeight     = 0.285
	AnkleHeight    = 0.039
	UpperArm       = 0.186
	Forearm        = 0.146
	Hand           = 0.108
	// From memory of the same table.
	shoulderHalf = 0.129
	hipHalf      = 0.0495
	footLength   = 0.152
	headNeck     = 0.870 // height of the chin and so about the top of the neck
)

// Starters are the skeletons one can begin from.
var Starters = []string{"biped"}

// Starter returns the named starter at its default size, standing at the
// origin and facing +Z.
func Starter(name string) (*Skeleton, error) {
	if name != "biped" {
		return nil, fmt.Errorf("there is no starter %q; there is: biped", name)
	}
	return Biped(1.7), nil
}

type seed struct {
	name, parent string
	at           r3.Vec
}

// Biped returns the two-legged starter at the given height in metres, in a
// T-pose with a slight bend at elbow and knee, so that each knows its way.
func Biped(height float64) *Skeleton {
	arm := ShoulderHeight
	elbow := shoulderHalf + UpperArm
	wrist := elbow + Forearm
	list := []seed{
		{"hips", "", r3.Vec{Y: HipHeight + 0.02}},
		{"spine_1", "hips", r3.Vec{Y: 0.60, Z: 0.002}},
		{"spine_2", "spine_1", r3.Vec{Y: 0.67, Z: 0.004}},
		{"spine_3", "spine_2", r3.Vec{Y: 0.74, Z: 0.002}},
		{"neck", "spine_3", r3.Vec{Y: ShoulderHeight + 0.012}},
		{"head", "neck", r3.Vec{Y: headNeck + 0.01, Z: 0.008}},
		{"head_end", "head", r3.Vec{Y: 1, Z: 0.008}},
		{"clavicle_l", "spine_3", r3.Vec{X: 0.02, Y: ShoulderHeight - 0.005, Z: 0.01}},
		{"upper_arm_l", "clavicle_l", r3.Vec{X: shoulderHalf, Y: arm}},
		{"forearm_l", "upper_arm_l", r3.Vec{X: elbow, Y: arm, Z: -0.006}},
		{"hand_l", "forearm_l", r3.Vec{X: wrist, Y: arm}},
		{"hand_end_l", "hand_l", r3.Vec{X: wrist + Hand, Y: arm}},
		{"thigh_l", "hips", r3.Vec{X: hipHalf, Y: HipHeight}},
		{"shank_l", "thigh_l", r3.Vec{X: hipHalf, Y: KneeHeight, Z: 0.008}},
		{"foot_l", "shank_l", r3.Vec{X: hipHalf, Y: AnkleHeight, Z: -0.008}},
		{"toe_l", "foot_l", r3.Vec{X: hipHalf, Y: 0.012, Z: footLength*0.72 - 0.03}},
		{"toe_end_l", "toe_l", r3.Vec{X: hipHalf, Y: 0.01, Z: footLength - 0.03}},
	}
	return grow(list, height)
}

// grow builds a skeleton from seeds, scaling positions, and adds the right side
// of every left seed after the left branch.
func grow(list []seed, scale float64) *Skeleton {
	s := &Skeleton{}
	add := func(name, parent string, at r3.Vec) {
		s.Joints = append(s.Joints, Joint{Name: name, Parent: s.Index(parent), Pos: r3.Scale(scale, at), Rot: geom.Identity})
	}
	for i := 0; i < len(list); {
		if DefaultSuffixes.Of(list[i].name) == Centre {
			add(list[i].name, list[i].parent, list[i].at)
			i++
			continue
		}
		k := i
		for k < len(list) && DefaultSuffixes.Of(list[k].name) == Left && (k == i || list[k].parent == list[k-1].name) {
			add(list[k].name, list[k].parent, list[k].at)
			k++
		}
		for ; i < k; i++ {
			name, _ := DefaultSuffixes.Partner(list[i].name)
			parent := list[i].parent
			if p, ok := DefaultSuffixes.Partner(parent); ok {
				parent = p
			}
			add(name, parent, Mirrored(list[i].at, 0))
		}
	}
	return s
}
