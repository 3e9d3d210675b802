// Package built builds a command for its tests, which run it as a person does.
package built

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
)

// Main builds the command in the folder of the tests, says in path where it lies, runs the tests and ends the
// process.
func Main(m *testing.M, name string, path *string) {
	dir, err := os.MkdirTemp("", name)
	if err != nil {
		panic(err)
	}
	*path = filepath.Join(dir, name)
	if out, err := exec.Command("go", "build", "-o", *path, ".").CombinedOutput(); err != nil {
		fmt.Println(string(out))
		os.Exit(1)
	}
	code := m.Run()
	_ = os.RemoveAll(dir)
	os.Exit(code)
}
