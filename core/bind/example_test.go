package bind_test

import (
	"context"
	"fmt"

	"wisemarrow/core/bind"
)

func ExampleHeat() {
	m, s := limb()
	w, report, err := bind.Heat(context.Background(), m, s, bind.DefaultOptions, nil)
	if err != nil {
		fmt.Println(err)
		return
	}
	for _, j := range report.Joints {
		fmt.Println(j.Name, j.State)
	}
	fmt.Println(len(w.Unweighted()), "vertices without weights")
	// Output:
	// a solved
	// b solved
	// c idle
	// 0 vertices without weights
}
