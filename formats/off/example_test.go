package off_test

import (
	"fmt"
	"strings"

	"wisemarrow/formats/off"
	"wisemarrow/formats/reading"
)

func ExampleDecode() {
	m, err := off.Decode(strings.NewReader("OFF # one triangle\n3 1 0\n0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n"), reading.Default)
	fmt.Println(len(m.Points), m.Corner, err)
	// Output: 3 [0 1 2] <nil>
}
