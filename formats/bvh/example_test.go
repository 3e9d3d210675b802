package bvh_test

import (
	"fmt"
	"os"
	"strings"

	"wisemarrow/formats/bvh"
	"wisemarrow/formats/reading"
)

const nod = `HIERARCHY
ROOT neck
{
  OFFSET 0 1.4 0
  CHANNELS 3 Zrotation Xrotation Yrotation
  End Site
  {
    OFFSET 0 0.2 0
  }
}
MOTION
Frames: 2
Frame Time: 0.04
0 0 0
0 20 0
`

func ExampleDecode() {
	f, err := bvh.Decode(strings.NewReader(nod), reading.Default)
	if err != nil {
		fmt.Println(err)
		return
	}
	for _, j := range f.Skeleton.Joints {
		fmt.Println(j.Name, j.Pos)
	}
	fmt.Println(len(f.Clip.Turns), "frames")
	// Output:
	// neck {0 1.4 0}
	// neck_end {0 1.5999999999999999 0}
	// 2 frames
}

func ExampleDecode_refused() {
	_, err := bvh.Decode(strings.NewReader("HIERARCHY\nROOT neck\n{\n  OFFSET 0 far 0\n"), reading.Default)
	fmt.Println(err)
	// Output:
	// line 4: "far" is not a number
}

func ExampleEncode() {
	f, _ := bvh.Decode(strings.NewReader(nod), reading.Default)
	f.Clip = nil
	_ = bvh.Encode(os.Stdout, f.Skeleton, f.Clip)
	// Output:
	// HIERARCHY
	// ROOT neck
	// {
	// 	OFFSET 0 1.4 0
	// 	CHANNELS 6 Xposition Yposition Zposition Zrotation Xrotation Yrotation
	// 	End Site
	// 	{
	// 		OFFSET 0 0.2 0
	// 	}
	// }
	// MOTION
	// Frames: 0
	// Frame Time: 0.0333333333
}
