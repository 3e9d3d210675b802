// Command bent prints the positions that core/deform gives the vertices of a
// bound GLB in a pose, for the browser tests to compare with.
//
//	bent FILE.glb '{"joint": [x, y, z] degrees, …}' [SHARE OF DUAL QUATERNIONS, or linear]
//	bent FILE.glb '[frame, …]'
//
// The second is of the first motion of the file, with its shape targets as they are on and the joints where those have them.
package main

import (
	"encoding/json"
	"fmt"
	"os"
	"strconv"
	"strings"

	"wisemarrow/core/deform"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/formats/gltf"
	"wisemarrow/formats/reading"
)

func main() {
	if err := run(os.Args[1], os.Args[2], os.Args[3:]); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func run(path, angles string, more []string) error {
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	defer f.Close()
	scene, err := gltf.Decode(f, nil, reading.Default)
	if err != nil {
		return err
	}
	if strings.HasPrefix(angles, "[") {
		return frames(scene, angles)
	}
	var list map[string][4]float64
	if err := json.Unmarshal([]byte(angles), &list); err != nil {
		return err
	}
	turns := pose.Angled(scene.Skeleton, list)
	places := func() (out [][3]float64) {
		for _, p := range deform.Bound(scene.Mesh.Points, scene.Weights, scene.Skeleton, turns, scene.Binding) {
			out = append(out, [3]float64{p.X, p.Y, p.Z})
		}
		return out
	}
	linear := places()
	for _, share := range more {
		if share == "linear" { // whatever the file says of vertices
			scene.Weights.Mix = nil
			continue
		}
		mix, err := strconv.ParseFloat(share, 64)
		if err != nil {
			return err
		}
		for i := range scene.Skeleton.Joints {
			scene.Skeleton.Joints[i].Mix = mix
		}
	}
	return json.NewEncoder(os.Stdout).Encode(map[string]any{"positions": places(), "linear": linear, "height": scene.Mesh.Measure().Height})
}

func frames(scene *gltf.Scene, list string) error {
	var which []int
	if err := json.Unmarshal([]byte(list), &which); err != nil {
		return err
	}
	clip := scene.Clips[0]
	skin, err := deform.NewSkin(scene.Mesh.Points, nil, scene.Weights, scene.Skeleton, scene.Binding)
	if err != nil {
		return err
	}
	if scene.Shapes != nil {
		skin = skin.Shaped(scene.Mesh.Shapes, scene.Shapes.For(scene.Skeleton, skeleton.DefaultMarks))
	}
	var out [][][3]float64
	for _, f := range which {
		turns, move := clip.At(f)
		var places [][3]float64
		for _, p := range skin.Places(turns) {
			places = append(places, [3]float64{p.X + move.X, p.Y + move.Y, p.Z + move.Z})
		}
		out = append(out, places)
	}
	return json.NewEncoder(os.Stdout).
		Encode(map[string]any{"frames": out, "count": clip.Frames(), "step": clip.Step, "height": scene.Mesh.Measure().Height})
}
