package web

import (
	"mime/multipart"
	"net/http"
	"path/filepath"
	"strconv"
	"strings"

	"wisemarrow/formats"
	"wisemarrow/studio"
)

// beside are the files that may accompany a mesh: buffers, materials, pictures.
var besideExtensions = []string{".bin", ".mtl", ".png", ".jpg", ".jpeg", ".webp"}

// accepted is what a file chooser offers.
func accepted() string {
	return strings.Join(append(append([]string{}, formats.Extensions...), besideExtensions...), ",")
}

// uploaded is a mesh file with the files that came beside it.
type uploaded struct {
	name    string
	file    multipart.File
	resolve func(uri string) ([]byte, error)
	close   func()
}

// upload reads the files of a form: what is wanted, of one of the given kinds, and
// what belongs to it.
func (s *site) upload(w http.ResponseWriter, r *http.Request, what string, extensions []string) (uploaded, error) {
	limit := s.studio.Limits().Bytes
	r.Body = http.MaxBytesReader(w, r.Body, limit+1<<20)
	if err := r.ParseMultipartForm(32 << 20); err != nil {
		return uploaded{}, tooLarge(err, limit)
	}
	form := r.MultipartForm
	u := uploaded{close: func() { _ = form.RemoveAll() }}
	beside := map[string]int{}
	list := form.File["file"]
	for i, h := range list {
		name := filepath.Base(h.Filename)
		beside[name] = i
		for _, ext := range extensions {
			if strings.EqualFold(filepath.Ext(name), ext) && u.name == "" {
				u.name = name
			}
		}
	}
	if u.name == "" {
		u.close()
		return u, studio.ErrInput{What: "There is no " + what + " among the files. Give one of " + strings.Join(extensions, " ") + "."}
	}
	f, err := list[beside[u.name]].Open()
	if err != nil {
		u.close()
		return u, err
	}
	u.file = f
	u.close = func() {
		_ = f.Close()
		_ = form.RemoveAll()
	}
	u.resolve = func(uri string) ([]byte, error) {
		i, ok := beside[filepath.Base(uri)]
		if !ok {
			return nil, studio.ErrNotFound
		}
		return readAll(list[i], limit)
	}
	return u, nil
}

// uploadOnto reads the files of a form, and which revision the page shows, and
// answers with what use makes of them.
func (s *site) uploadOnto(w http.ResponseWriter, r *http.Request, what string, extensions []string, use func(u uploaded, base int64) (any, error)) {
	u, err := s.upload(w, r, what, extensions)
	if err != nil {
		s.problem(w, r, err)
		return
	}
	defer u.close()
	base, err := strconv.ParseInt(r.FormValue("base"), 10, 64)
	if err != nil {
		s.problem(w, r, studio.ErrInput{What: "base is the number of the revision that the page shows"})
		return
	}
	out, err := use(u, base)
	if err != nil {
		s.problem(w, r, err)
		return
	}
	answer(w, http.StatusOK, out)
}
