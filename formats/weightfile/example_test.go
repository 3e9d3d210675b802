package weightfile_test

import (
	"fmt"
	"os"
	"strings"

	"wisemarrow/core/weights"
	"wisemarrow/formats/reading"
	"wisemarrow/formats/weightfile"
)

func ExampleEncodeCSV() {
	w := weights.New([]string{"hips", "thigh_l"}, 2)
	w.Of[0] = []weights.Influence{{Joint: 0, Value: 1}}
	w.Of[1] = []weights.Influence{{Joint: 1, Value: 0.75}, {Joint: 0, Value: 0.25}}
	_ = weightfile.EncodeCSV(os.Stdout, w, nil)
	// Output:
	// vertex,joint,weight
	// 0,hips,1
	// 1,thigh_l,0.75
	// 1,hips,0.25
}

func ExampleDecode() {
	t, err := weightfile.Decode(strings.NewReader("vertex,joint,weight\n7,hips,1\n"), reading.Default)
	if err != nil {
		fmt.Println(err)
		return
	}
	fmt.Println(t.Joints, t.Vertex, t.Of)
	_, err = weightfile.Decode(strings.NewReader("vertex,joint,weight\n7,hips,much\n"), reading.Default)
	fmt.Println(err)
	// Output:
	// [hips] [7] [[{0 1}]]
	// line 2: "much" is not a weight: it must be 0 to 1
}
