// Package web serves the workbench: pages from templates, the data that the
// views draw, and the operations as JSON.
package web

import (
	"context"
	"net/http"

	"wisemarrow/studio"

	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"
)

// site is what the handlers share.
type site struct {
	studio *studio.Studio
	ping   func(context.Context) error
	pages  pages
	room   *room
}

// Routes returns the whole site. ping tells whether the database answers.
func Routes(x *studio.Studio, ping func(context.Context) error) http.Handler {
	s := &site{studio: x, ping: ping, pages: parsePages(), room: newRoom()}
	r := chi.NewRouter()
	r.Use(middleware.Recoverer, secured, prompt, middleware.Compress(5, "text/html", "text/css", "text/javascript", "application/json", "application/octet-stream", "application/wasm", "image/svg+xml"))
	r.Use(http.NewCrossOriginProtection().Handler)

	r.Get("/", s.cast)
	r.Get("/characters/{id}", s.toStage)
	r.Get("/characters/{id}/card", s.castCard)
	r.Get("/characters/{id}/{stage}", s.workbench)
	r.Get("/characters/{id}/tray/{stage}", s.tray)
	r.Get("/characters/{id}/handoff/{what}", s.handoff)
	r.Get("/characters/{id}/report", s.report)
	r.Get("/characters/{id}/script", s.script)

	r.Route("/api", func(r chi.Router) {
		r.Post("/author", s.setAuthor)
		r.Get("/events", s.events)
		r.Post("/characters", s.files(s.bringIn))
		r.Get("/asked/{key}", s.asked)
		r.Get("/characters/{id}", s.state)
		r.Post("/characters/{id}/ops", s.operate)
		r.Post("/characters/{id}/preview", s.preview)
		r.Post("/characters/{id}/delivery", s.files(s.deliver))
		r.Post("/characters/{id}/starter", s.starter)
		r.Post("/characters/{id}/shelf", s.shelve)
		r.Post("/characters/{id}/shelf/discard", s.discard)
		r.Get("/characters/{id}/match", s.matchCharacter)
		r.Post("/characters/{id}/match", s.files(s.matchFile))
		r.Post("/characters/{id}/undo", s.undo)
		r.Post("/characters/{id}/redo", s.redo)
		r.Post("/characters/{id}/remove", s.remove)
		r.Get("/characters/{id}/history", s.history)
		r.Get("/characters/{id}/where/{stage}/{code}", s.where)
		r.Get("/characters/{id}/probe/{vertex}", s.probe)
		r.Post("/characters/{id}/measure", s.measure)
		r.Post("/works/{work}/cancel", s.cancelWork)
	})

	r.Get("/view/mesh/{rev}", s.meshView)
	r.Get("/view/smooth/{rev}/{levels}", s.smooth)
	r.Get("/view/weights/{rev}", s.weightsView)
	r.Get("/view/weights/{rev}/{joint}", s.columnView)
	r.Get("/view/motion/{rev}/{clip}", s.motion)
	r.Get("/view/thumbnail/{rev}", s.thumbnail)
	r.Get("/healthz", s.health)
	r.Handle("/static/*", static())
	r.NotFound(func(w http.ResponseWriter, r *http.Request) { s.problem(w, r, studio.ErrNotFound) })
	return r
}
