package web

import (
	"bytes"
	"net/http"
	"strconv"

	"wisemarrow/studio"

	lru "github.com/hashicorp/golang-lru/v2"
	"golang.org/x/sync/singleflight"
)

// forever is for what a revision's number or a hash names: it never changes.
const forever = "private, max-age=31536000, immutable"

func (s *site) atRevision(r *http.Request) (studio.Revision, *studio.State, error) {
	n, err := strconv.ParseInt(param(r, "rev"), 10, 64)
	if err != nil {
		return studio.Revision{}, nil, studio.ErrNotFound
	}
	rev, err := s.studio.Store().Revision(r.Context(), n)
	if err != nil {
		return rev, nil, err
	}
	state, err := s.studio.Load(r.Context(), rev)
	return rev, state, err
}

func (s *site) send(w http.ResponseWriter, r *http.Request, data []byte, err error) {
	if err != nil {
		s.problem(w, r, err)
		return
	}
	w.Header().Set("Content-Type", "application/octet-stream")
	w.Header().Set("Cache-Control", forever)
	_, _ = w.Write(data)
}

func (s *site) meshView(w http.ResponseWriter, r *http.Request) {
	_, state, err := s.atRevision(r)
	if err == nil && state.Mesh == nil {
		err = studio.ErrNotFound
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	data, err := studio.MeshView(state.Mesh)
	s.send(w, r, data, err)
}

func (s *site) weightsView(w http.ResponseWriter, r *http.Request) {
	_, state, err := s.atRevision(r)
	if err == nil && state.Weights == nil {
		err = studio.ErrNotFound
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	data, err := studio.WeightsView(state.Weights, state.Skeleton)
	s.send(w, r, data, err)
}

// thumbs keeps drawn thumbnails by the hash of their mesh.
type thumbs struct {
	cache  *lru.Cache[string, []byte]
	flight singleflight.Group
}

func newThumbs() *thumbs {
	c, _ := lru.New[string, []byte](200)
	return &thumbs{cache: c}
}

func (s *site) thumbnail(w http.ResponseWriter, r *http.Request) {
	rev, state, err := s.atRevision(r)
	if err == nil && state.Mesh == nil {
		err = studio.ErrNotFound
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	hash := rev.Parts["mesh"]
	data, ok := s.thumbs.cache.Get(hash)
	if !ok {
		v, err, _ := s.thumbs.flight.Do(hash, func() (any, error) {
			var buf bytes.Buffer
			err := studio.WriteThumbnail(&buf, state.Mesh, 440, 380)
			return buf.Bytes(), err
		})
		if err != nil {
			s.problem(w, r, err)
			return
		}
		data = v.([]byte)
		s.thumbs.cache.Add(hash, data)
	}
	w.Header().Set("Content-Type", "image/png")
	w.Header().Set("Cache-Control", forever)
	_, _ = w.Write(data)
}
