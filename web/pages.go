package web

import (
	"bytes"
	"encoding/json"
	"fmt"
	"html/template"
	"log/slog"
	"math"
	"net/http"
	"slices"
	"strings"

	"wisemarrow/core/finding"
	"wisemarrow/core/wording"
	"wisemarrow/people"
	"wisemarrow/stages/axes"
	"wisemarrow/stages/bind"
	"wisemarrow/stages/bindpose"
	"wisemarrow/stages/handoff"
	"wisemarrow/stages/motion"
	"wisemarrow/stages/placement"
	"wisemarrow/stages/shapes"
	"wisemarrow/stages/weights"
	"wisemarrow/studio"
)

type pages struct{ all *template.Template }

func parsePages() pages {
	t := template.New("").Funcs(template.FuncMap{
		"thousands": wording.Thousands,
		"count":     wording.Count,
		"bounds":    bounds,
		"steps":     studio.StepsOf,
		"default":   defaultOf,
		"options":   options,
		"length":    wording.Length,
		"measure":   measure,
		"percent":   wording.Percent,
		"shownOf":   shownOf,
		"importMap": func() template.HTML { return template.HTML(`<script type="importmap">` + importMap() + `</script>`) },
		"json": func(v any) (string, error) {
			b, err := json.Marshal(v)
			return string(b), err
		},
		"lower":     strings.ToLower,
		"modules":   modules,
		"asset":     func(path string) string { return assets() + path },
		"centre":    func(joints []string) placement.CentreJoints { return placement.CentreJoints{Joints: joints} },
		"hinges":    axes.Hinges,
		"bindpose":  bindpose.Of,
		"deforming": bind.Deforming,
		"twists":    axes.Twists,
		"helpers":   motion.Helpers,
		"targets":   shapes.Rows,
		"grouped":   shapes.Grouped,
		"sculpts":   shapes.SculptModes,
		"builds":    motion.Builds,
		"worst":     motion.WorstOf,
		"orders":    axes.Orders,
		"chainFrom": axes.ChainFrom,
		"ownAxes":   axes.OwnAxes,
		"formats":   func() []handoff.Format { return handoff.Formats },
		"rigs":      handoff.Rigs,
		"shipped":   handoff.Shipped,
		"leavable":  handoff.Leavable,
		"namings":   handoff.Namings,
		"unlisted":  handoff.Unlisted,
		"list":      func(x ...string) []string { return x },
		"times":     func(a int, b float64) float64 { return float64(a) * b },
		"bar":       func(x float64) float64 { return min(100, 50*x) },
		"dropClip":  func(name string) placement.DropClip { return placement.DropClip{Clip: name} },
		"named":     func(name string) map[string]string { return map[string]string{"name": name} },
		// safe counts the findings that mend_safe takes up.
		"safe": func(list []finding.Finding) int {
			n := 0
			for _, f := range list {
				for _, m := range f.Remedies {
					if slices.Contains([]string{"weld", "drop_loose", "drop_faces", "split_ties", "make_outward"}, m.Op) {
						n++
						break
					}
				}
			}
			return n
		},
		"roman":       func(i int) string { return [...]string{"I", "II", "III", "IV", "V", "VI", "VII", "VIII", "IX"}[i] },
		"add":         func(a, b int) int { return a + b },
		"firstPieces": bind.FirstPieces,
		"allLead":     bind.AllLead,
		"led":         bind.Led,
		"told":        bind.Told,
		"blends":      weights.Blends,
		"rungs":       bind.Rungs,
		"modes":       weights.Modes,
		"dict": func(list ...any) map[string]any {
			out := map[string]any{}
			for i := 0; i+1 < len(list); i += 2 {
				out[list[i].(string)] = list[i+1]
			}
			return out
		},
	})
	return pages{template.Must(t.ParseFS(files, "templates/*.html"))}
}

// render writes a whole page.
func (p pages) render(w http.ResponseWriter, r *http.Request, name string, data map[string]any) {
	if _, ok := data["Author"]; !ok {
		data["Author"] = author(r)
	}
	who, asked := personOf(r.Context())
	if asked {
		data["Person"] = who
	}
	data["Work"], data["Lead"] = !asked || who.Role.May(people.Work), !asked || who.Role.May(people.Lead)
	w.Header().Set("Cache-Control", "no-store")
	p.fragment(w, name, data)
}

// fragment writes a template; nothing is sent when it fails half way.
func (p pages) fragment(w http.ResponseWriter, name string, data any) {
	var buf bytes.Buffer
	if err := p.all.ExecuteTemplate(&buf, name, data); err != nil {
		slog.Error("template failed", "name", name, "error", err)
		http.Error(w, "The page could not be drawn. The log of the server has the details.", http.StatusInternalServerError)
		return
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	_, _ = w.Write(buf.Bytes())
}

// measure writes a number of evidence with its unit.
func measure(e finding.Evidence, v float64) string {
	switch e.Unit {
	case "m":
		return wording.Length(v)
	case "%":
		return fmt.Sprintf("%.3g%%", 100*v)
	case "°":
		return fmt.Sprintf("%.4g°", math.Round(10*v)/10)
	}
	if v == math.Trunc(v) && math.Abs(v) < 1e9 {
		return wording.Thousands(int(v))
	}
	return fmt.Sprintf("%.3g", v)
}

// shownOf is what a person may show for a fit of a starter.
func shownOf(starter string) []string {
	for _, k := range placement.Starters {
		if k.Name == starter {
			return k.Shown
		}
	}
	return nil
}
