package web

import (
	"net/http"
	"path/filepath"
	"strings"

	"wisemarrow/formats"
	"wisemarrow/studio"
)

// card is a character on the cast page.
type card struct {
	studio.Character
	Stages []studio.Stage
	Facts  string
	Open   int // findings that block or harm
}

func (s *site) cast(w http.ResponseWriter, r *http.Request) {
	list, err := s.studio.Store().Characters(r.Context())
	if err != nil {
		s.problem(w, r, err)
		return
	}
	type production struct {
		Name  string
		Cards []card
	}
	var out []*production
	for _, c := range list {
		rev, err := s.studio.Store().Revision(r.Context(), c.Head)
		if err != nil {
			s.problem(w, r, err)
			return
		}
		review, err := s.studio.Review(r.Context(), rev)
		if err != nil {
			s.problem(w, r, err)
			return
		}
		k := card{Character: c, Stages: review.Stages, Facts: thousands(review.Facts.Vertices) + " vertices · " + length(review.Facts.Height) + " tall"}
		for _, st := range review.Stages {
			if st.State == "findings" && st.Name != "handoff" {
				k.Open++
			}
		}
		if len(out) == 0 || out[len(out)-1].Name != c.Production {
			out = append(out, &production{Name: c.Production})
		}
		p := out[len(out)-1]
		p.Cards = append(p.Cards, k)
	}
	names, err := s.studio.Store().Productions(r.Context())
	if err != nil {
		s.problem(w, r, err)
		return
	}
	first := "My production"
	if len(names) > 0 {
		first = names[0]
	}
	s.pages.render(w, r, "cast", map[string]any{"Productions": out, "Into": first, "Accept": strings.Join(formats.Extensions, ",") + ",.bin",
		"Limit": s.studio.Limits().Bytes >> 20, "Author": author(r)})
}

// bringIn makes a character of uploaded files: one mesh, and for a .gltf the
// buffers beside it.
func (s *site) bringIn(w http.ResponseWriter, r *http.Request) {
	limit := s.studio.Limits().Bytes
	r.Body = http.MaxBytesReader(w, r.Body, limit+1<<20)
	if err := r.ParseMultipartForm(32 << 20); err != nil {
		s.problem(w, r, tooLarge(err, limit))
		return
	}
	defer func() { _ = r.MultipartForm.RemoveAll() }()
	var mesh string
	beside := map[string]int{}
	list := r.MultipartForm.File["file"]
	for i, h := range list {
		name := filepath.Base(h.Filename)
		beside[name] = i
		for _, ext := range formats.Extensions {
			if strings.EqualFold(filepath.Ext(name), ext) && mesh == "" {
				mesh = name
			}
		}
	}
	if mesh == "" {
		s.problem(w, r, studio.ErrInput{What: "There is no mesh among the files. Give one of " + strings.Join(formats.Extensions, " ") + "."})
		return
	}
	f, err := list[beside[mesh]].Open()
	if err != nil {
		s.problem(w, r, err)
		return
	}
	defer f.Close()
	resolve := func(uri string) ([]byte, error) {
		i, ok := beside[filepath.Base(uri)]
		if !ok {
			return nil, studio.ErrNotFound
		}
		return readAll(list[i], limit)
	}
	c := studio.Character{Production: strings.TrimSpace(r.FormValue("production")), Name: strings.TrimSpace(r.FormValue("name"))}
	if c.Production == "" {
		c.Production = "My production"
	}
	if c.Name == "" {
		c.Name = strings.TrimSuffix(mesh, filepath.Ext(mesh))
	}
	c, err = s.studio.Import(r.Context(), c, author(r), mesh, f, resolve)
	if err != nil {
		s.problem(w, r, err)
		return
	}
	answer(w, http.StatusCreated, map[string]string{"id": c.ID, "url": "/characters/" + c.ID + "/intake"})
}

func (s *site) remove(w http.ResponseWriter, r *http.Request) {
	if err := s.studio.Store().Remove(r.Context(), param(r, "id")); err != nil {
		s.problem(w, r, err)
		return
	}
	answer(w, http.StatusOK, map[string]bool{"removed": true})
}
