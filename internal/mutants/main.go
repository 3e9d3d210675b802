// Command mutants changes the program in one place after another, in a copy, and runs the tests that should
// notice. It prints which mutants were killed and which survived; one that survives is a hole in the tests. Those
// that survived once stand here with the test that kills them now.
//
//	go run ./internal/mutants            # all
//	go run ./internal/mutants spill access # those whose name has one of the words
package main

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"
)

// Mutant is one change: From, which stands in File once, becomes To. Tests are the packages that must fail then,
// those of Run, or all.
type Mutant struct {
	Name, File, From, To string
	Tests, Run           string
}

func main() {
	survived := 0
	root, err := os.Getwd()
	if err != nil {
		fail(err)
	}
	dir, err := os.MkdirTemp("", "mutants")
	if err != nil {
		fail(err)
	}
	defer os.RemoveAll(dir)
	if out, err := exec.Command("git", "-C", root, "worktree", "add", "--detach", "--force", dir, "HEAD").CombinedOutput(); err != nil {
		fail(fmt.Errorf("making a copy: %w: %s", err, out))
	}
	defer exec.Command("git", "-C", root, "worktree", "remove", "--force", dir).Run()
	env := append(os.Environ(), "GOFLAGS=-count=1")
	fmt.Printf("%-9s %6s  %s\n", "", "s", "mutant")
	n := 0
	for _, m := range mutants {
		if !wanted(m.Name) {
			continue
		}
		n++
		begun := time.Now()
		state, err := try(dir, env, m)
		if err != nil {
			fail(fmt.Errorf("%s: %w", m.Name, err))
		}
		if state != "killed" {
			survived++
		}
		fmt.Printf("%-9s %6.1f  %s\n", state, time.Since(begun).Seconds(), m.Name)
	}
	fmt.Printf("%d mutants, %d survived\n", n, survived)
	if survived > 0 {
		_ = exec.Command("git", "-C", root, "worktree", "remove", "--force", dir).Run()
		os.Exit(1)
	}
}

func wanted(name string) bool {
	for _, w := range os.Args[1:] {
		if strings.Contains(name, w) {
			return true
		}
	}
	return len(os.Args) == 1
}

// try makes the change, runs the tests and takes it back.
func try(dir string, env []string, m Mutant) (string, error) {
	path := filepath.Join(dir, m.File)
	text, err := os.ReadFile(path)
	if err != nil {
		return "", err
	}
	if n := strings.Count(string(text), m.From); n != 1 {
		return "", fmt.Errorf("%s has %q %d times, not once", m.File, m.From, n)
	}
	if err := os.WriteFile(path, []byte(strings.Replace(string(text), m.From, m.To, 1)), 0o644); err != nil {
		return "", err
	}
	defer func() { _ = os.WriteFile(path, text, 0o644) }()
	build := exec.Command("go", "vet", "./"+filepath.Dir(m.File))
	build.Dir, build.Env = dir, env
	if out, err := build.CombinedOutput(); err != nil {
		return "", fmt.Errorf("the mutant is no program: %s", out)
	}
	args := []string{"test", "-failfast", "-timeout", "5m"}
	if m.Run != "" {
		args = append(args, "-run", m.Run)
	}
	test := exec.Command("go", append(args, strings.Fields(m.Tests)...)...)
	test.Dir, test.Env = dir, env
	out, err := test.CombinedOutput()
	if err == nil {
		if strings.Contains(string(out), "no tests to run") {
			return "", fmt.Errorf("no test is called %q", m.Run)
		}
		return "SURVIVED", nil
	}
	return "killed", nil
}

func fail(err error) {
	fmt.Fprintln(os.Stderr, "mutants:", err)
	os.Exit(2)
}
