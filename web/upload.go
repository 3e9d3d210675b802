package web

import (
	"errors"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"path/filepath"
	"strconv"
	"strings"

	"wisemarrow/formats"
	"wisemarrow/formats/reading"
	"wisemarrow/studio"
)

// beside are the files that may accompany a mesh: buffers, materials, pictures.
var besideExtensions = []string{".bin", ".mtl", ".png", ".jpg", ".jpeg", ".webp"}

// accepted is what a file chooser offers.
func accepted() string {
	return strings.Join(append(append([]string{}, formats.Extensions...), besideExtensions...), ",")
}

// upload reads the files of a form that was received: what is wanted, of one of the given kinds, and
// what belongs to it.
func (s *site) upload(r *http.Request, what string, extensions []string) (studio.Upload, error) {
	limit, form := s.studio.Limits().Bytes, r.MultipartForm // as it was received (files)
	u := studio.Upload{Beside: map[string][]byte{}}
	var main *multipart.FileHeader
	for _, h := range form.File["file"] {
		name := filepath.Base(h.Filename)
		wanted := false
		for _, ext := range extensions {
			wanted = wanted || strings.EqualFold(filepath.Ext(name), ext)
		}
		if wanted && main == nil {
			main, u.Name = h, name
			continue
		}
		data, err := readAll(h, limit)
		if err != nil {
			return u, err
		}
		u.Beside[name] = data
	}
	if main == nil {
		return u, studio.InputError{What: "There is no " + what + " among the files. Give one of " + strings.Join(extensions, " ") + "."}
	}
	if err := studio.CheckName("a file", u.Name); err != nil {
		return u, err
	}
	var err error
	u.Data, err = readAll(main, limit)
	return u, err
}

func readAll(h *multipart.FileHeader, limit int64) ([]byte, error) {
	f, err := h.Open()
	if err != nil {
		return nil, err
	}
	defer f.Close()
	return io.ReadAll(io.LimitReader(f, limit))
}

// unread explains a body that could not be read to its end; most says how large it may
// be.
func unread(err error, most string, limit int64) error {
	var big *http.MaxBytesError
	switch {
	case errors.As(err, &big):
		return fmt.Errorf("%w of "+most, reading.ErrTooLarge, limit)
	case errors.Is(err, errSlow):
		return err
	}
	return studio.InputError{What: "the request did not arrive whole: " + err.Error() + ". Send it again."}
}

// takeIn stores the files of a form, to be named by an operation.
func (s *site) takeIn(r *http.Request, what string, extensions []string) (studio.File, error) {
	u, err := s.upload(r, what, extensions)
	if err != nil {
		return studio.File{}, err
	}
	return s.studio.TakeIn(r.Context(), u)
}

// baseOf is the revision that the page of a form shows.
func baseOf(r *http.Request) (int64, error) {
	base, err := strconv.ParseInt(r.FormValue("base"), 10, 64)
	if err != nil {
		return 0, studio.InputError{What: "base is the number of the revision that the page shows"}
	}
	return base, nil
}
