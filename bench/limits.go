package main

import (
	"context"
	"fmt"
	"math"

	"wisemarrow/core/bind"
	"wisemarrow/core/deform"
	"wisemarrow/core/guide"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/demo"
)

// limits holds the limits of the motion check against the guide, the closest that a skin can come to an elastic body: the
// most that a length is drawn out, pressed together and a limb's volume changes at the ends of all ranges, of the guide
// and of the automatic bind.
func limits() error {
	seed, err := benchSeed()
	if err != nil {
		return err
	}
	fmt.Printf("The worst at the ends of all ranges, of the guide and of the automatic bind; strangers of seed %d\n", seed)
	fmt.Printf("%-12s | %28s | %28s | %28s\n", "character", "drawn out, times", "pressed together, times", "volume of a limb")
	list := append(castVariants(), demo.Strangers(seed, 10)...)
	for _, v := range list {
		m, s := v.Make()
		w, _, err := bind.Automatic(context.Background(), m, s, bind.DefaultOptions, nil)
		if err != nil {
			fmt.Printf("%-12.12s not bound: %v\n", v.Name, err)
			continue
		}
		g, err := guide.NewSolid(context.Background(), m, w, s, guide.Options{})
		if err != nil {
			return err
		}
		tris, _ := m.Triangles()
		skin, err := deform.NewSkin(m.World(), tris, w, s, nil)
		if err != nil {
			return err
		}
		type most struct {
			size float64
			in   string
		}
		var worst [2][3]most // of guide and bind: long, short, volume
		ends := pose.Extremes(s, s.Trials(skeleton.DefaultMarks), 1)
		for _, e := range ends {
			posed, err := g.Pose(context.Background(), e.Pose, guide.Options{})
			if err != nil {
				return err
			}
			for i, x := range []deform.Measures{skin.MeasurePlaces(posed.Places(m.World())), skin.MeasurePose(e.Pose)} {
				for k, size := range []float64{x.Longest, 1 / x.Shortest, math.Abs(x.Change)} {
					if size > worst[i][k].size {
						worst[i][k] = most{size, e.Name}
					}
				}
			}
		}
		fmt.Printf("%-12.12s", v.Name)
		for k := range 3 {
			fmt.Printf(" | %5.2f %-20.20s %5.2f", worst[0][k].size, worst[0][k].in, worst[1][k].size)
		}
		fmt.Println()
	}
	return nil
}
