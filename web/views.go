package web

import (
	"bytes"
	"net/http"
	"net/url"
	"strconv"

	"wisemarrow/formats/bundle"
	"wisemarrow/formats/picture"
	"wisemarrow/studio"
)

// forever is for what a revision's number or a hash names: it never changes.
const forever = "private, max-age=31536000, immutable"

func (s *site) atRevision(r *http.Request) (studio.Revision, *studio.State, error) {
	rev, err := s.revision(r)
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
	data, err := s.drawn(r.Context(), len(state.Mesh.Corner), func() ([]byte, error) { return bundle.MeshView(state.Mesh) })
	s.send(w, r, data, err)
}

// weightsView sends the columns of all joints together, for a page that has none.
func (s *site) weightsView(w http.ResponseWriter, r *http.Request) {
	_, state, err := s.atRevision(r)
	if err == nil && state.Weights == nil {
		err = studio.ErrNotFound
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	data, err := bundle.WeightsView(state.Weights)
	s.send(w, r, data, err)
}

// keptView sends the weights of a kept result, to be shown beside those of now.
func (s *site) keptView(w http.ResponseWriter, r *http.Request) {
	_, state, err := s.atRevision(r)
	var data []byte
	if err == nil {
		var name string
		if name, err = url.PathUnescape(param(r, "name")); err == nil {
			if i := state.FindKept(name); i >= 0 && len(state.Kept[i].Weights.Of) == len(state.Mesh.Points) {
				data, err = bundle.WeightsView(state.Kept[i].Weights)
			} else {
				err = studio.ErrNotFound
			}
		}
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	s.send(w, r, data, nil)
}

// revision returns the one that the address names.
func (s *site) revision(r *http.Request) (studio.Revision, error) {
	n, err := strconv.ParseInt(param(r, "rev"), 10, 64)
	if err != nil {
		return studio.Revision{}, studio.ErrNotFound
	}
	return s.studio.Revision(r.Context(), n)
}

// columnView sends the weights of one joint, as they are stored.
func (s *site) columnView(w http.ResponseWriter, r *http.Request) {
	rev, err := s.revision(r)
	if err != nil {
		s.problem(w, r, err)
		return
	}
	name, err := url.PathUnescape(param(r, "joint"))
	hash, ok := rev.Parts.Columns()[name]
	if err != nil || !ok {
		s.problem(w, r, studio.ErrNotFound)
		return
	}
	s.stored(w, r, hash)
}

// targetView sends the offsets of a shape target, world frame.
func (s *site) targetView(w http.ResponseWriter, r *http.Request) {
	_, state, err := s.atRevision(r)
	k, bad := strconv.Atoi(param(r, "target"))
	if err == nil && (bad != nil || state.Mesh == nil || k < 0 || k >= len(state.Mesh.Shapes)) {
		err = studio.ErrNotFound
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	data, err := bundle.Target(state.Mesh.WorldShapes()[k])
	s.send(w, r, data, err)
}

// mixView sends what was said of how vertices blend, as it is stored.
func (s *site) mixView(w http.ResponseWriter, r *http.Request) {
	rev, err := s.revision(r)
	if hash := rev.Parts["mix"]; err == nil && hash != "" {
		s.stored(w, r, hash)
		return
	}
	if err == nil {
		err = studio.ErrNotFound
	}
	s.problem(w, r, err)
}

// stored sends a blob.
func (s *site) stored(w http.ResponseWriter, r *http.Request, hash string) {
	found, err := s.studio.Blobs(r.Context(), []string{hash})
	if err == nil && found[hash] == nil {
		err = studio.ErrNotFound
	}
	s.send(w, r, found[hash], err)
}

// thumbnail sends the portrait of a character; it is drawn once for each mesh.
func (s *site) thumbnail(w http.ResponseWriter, r *http.Request) {
	rev, err := s.revision(r)
	if err == nil && rev.Parts["mesh"] == "" {
		err = studio.ErrNotFound
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	data, err := s.studio.Kept(r.Context(), "thumbnail/"+rev.Parts["mesh"]+"/"+rev.Parts["parts"], func() ([]byte, error) {
		state, err := s.studio.Load(r.Context(), rev)
		if err != nil {
			return nil, err
		}
		var buf bytes.Buffer
		err = picture.WriteThumbnail(&buf, state.Mesh, 440, 380)
		return buf.Bytes(), err
	})
	if err != nil {
		s.problem(w, r, err)
		return
	}
	w.Header().Set("Content-Type", "image/png")
	w.Header().Set("Cache-Control", forever)
	_, _ = w.Write(data)
}
