// Package collect reads the licenses of what the programs carry from the module cache and the served files.
package collect

import (
	"cmp"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
)

// carried is something that the programs carry, and the texts that have to go with it.
type carried struct{ name, text string }

// licenseFile is what license files are called.
var licenseFile = regexp.MustCompile(`(?i)^(licen[cs]e|copying|notice|patents)([-.].*)?$`)

// Notices returns the notices of the programs whose module is in dir. Whatever has no license text is an error.
func Notices(dir string) (string, error) {
	var all []carried
	list, err := output(
		dir,
		"go",
		"list",
		"-deps",
		"-f",
		"{{with .Module}}{{if not .Main}}{{.Path}} {{.Version}} {{.Dir}}{{end}}{{end}}",
		"./cmd/...",
	)
	if err != nil {
		return "", err
	}
	modules := strings.Split(list, "\n")
	slices.Sort(modules)
	for _, line := range slices.Compact(modules) {
		f := strings.Fields(line)
		if len(f) != 3 {
			continue
		}
		text, err := licenses(f[2])
		if err != nil {
			return "", fmt.Errorf("%s: %w", f[0], err)
		}
		if f[0] == "golang.org/x/sys" { // the same as Go's own, which not every package of Go brings along
			all = append(all, carried{"Go standard library", text})
		}
		all = append(all, carried{f[0] + " " + f[1], text})
	}
	static := filepath.Join(dir, "web", "static")
	err = filepath.WalkDir(static, func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(d.Name(), "LICENSE") {
			return err
		}
		text, err := os.ReadFile(path)
		name := strings.TrimSuffix(d.Name(), "-LICENSE")
		if name == "LICENSE" {
			name = filepath.Base(filepath.Dir(path))
		}
		all = append(all, carried{map[string]string{"icons": "Lucide icons"}[name], string(text)})
		if all[len(all)-1].name == "" {
			all[len(all)-1].name = name
		}
		return err
	})
	if err != nil {
		return "", err
	}
	return written(all), nil
}

// licenses reads the license files of a folder, in the order of their names.
func licenses(dir string) (string, error) {
	list, err := os.ReadDir(dir)
	if err != nil {
		return "", err
	}
	var out []string
	for _, e := range list {
		if e.Type().IsRegular() && licenseFile.MatchString(e.Name()) && !strings.HasSuffix(e.Name(), ".go") {
			text, err := os.ReadFile(filepath.Join(dir, e.Name()))
			if err != nil {
				return "", err
			}
			out = append(out, string(text))
		}
	}
	if len(out) == 0 {
		return "", fmt.Errorf("no license in %s", dir)
	}
	return strings.Join(out, "\n"), nil
}

// written writes each text once, under the names of all that it goes with.
func written(all []carried) string {
	names := map[string][]string{}
	var texts []string
	for _, c := range all {
		text := strings.TrimSpace(strings.ReplaceAll(c.text, "\r\n", "\n"))
		if names[text] == nil {
			texts = append(texts, text)
		}
		names[text] = append(names[text], c.name)
	}
	slices.SortStableFunc(texts, func(a, b string) int { return cmp.Compare(names[a][0], names[b][0]) })
	var b strings.Builder
	b.WriteString("Wise Marrow carries the following works, each under its own license.\n")
	for _, t := range texts {
		fmt.Fprintf(&b, "\n%s\n%s\n\n%s\n", strings.Repeat("=", 78), strings.Join(names[t], "\n"), t)
	}
	return b.String()
}

func output(dir, name string, args ...string) (string, error) {
	c := exec.Command(name, args...)
	c.Dir = dir
	out, err := c.Output()
	if err != nil {
		return "", fmt.Errorf("%s %s: %w", name, strings.Join(args, " "), err)
	}
	return strings.TrimSpace(string(out)), nil
}
