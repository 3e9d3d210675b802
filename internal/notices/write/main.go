// Command write collects the licenses of what the programs carry into internal/notices/NOTICES.txt.
package main

import (
	"fmt"
	"log"
	"os"
	"os/exec"
	"strings"

	"wisemarrow/internal/notices/collect"
)

func main() {
	root, err := exec.Command("go", "list", "-m", "-f", "{{.Dir}}").Output()
	if err != nil {
		log.Fatal(err)
	}
	dir := strings.TrimSpace(string(root))
	text, err := collect.Notices(dir)
	if err != nil {
		log.Fatal(err)
	}
	if err := os.WriteFile(dir+"/internal/notices/NOTICES.txt", []byte(text), 0o644); err != nil {
		log.Fatal(err)
	}
	fmt.Println(strings.Count(text, "\n"), "lines")
}
