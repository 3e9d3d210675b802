// Package web serves the workbench: pages from templates, the data that the
// views draw, and the operations as JSON.
package web

import (
	"context"
	"io"
	"net/http"

	"wisemarrow/internal/notices"
	"wisemarrow/people"
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
	access *SignIn
	panels *panels
}

// Routes returns the whole site. ping tells whether the database answers; access is who
// may come in, nil for everybody.
func Routes(x *studio.Studio, ping func(context.Context) error, access *SignIn) http.Handler {
	s := &site{studio: x, ping: ping, pages: parsePages(), room: newRoom(), access: access, panels: newPanels()}
	r := chi.NewRouter()
	r.Use(
		middleware.Recoverer,
		secured,
		prompt,
		middleware.Compress(
			5,
			"text/html",
			"text/css",
			"text/javascript",
			"application/json",
			"application/octet-stream",
			"application/wasm",
			"image/svg+xml",
		),
	)
	r.Use(http.NewCrossOriginProtection().Handler)
	if access != nil {
		access.open()
	}
	r.Use(s.authenticate)

	r.Group(func(r chi.Router) { // to see
		r.Use(s.requireRole(people.Look))
		r.Get("/", s.cast)
		r.Get("/characters/{id}", s.toStage)
		r.Get("/characters/{id}/card", s.castCard)
		r.Get("/cards", s.castCards)
		r.Get("/characters/{id}/{stage}", s.workbench)
		r.Get("/characters/{id}/tray/{stage}", s.tray)
		r.Get("/characters/{id}/handoff/{what}", s.handoff)
		r.Get("/characters/{id}/report", s.report)
		r.Get("/characters/{id}/script", s.script)
		r.Get("/api/events", s.events)
		r.Get("/api/asked/{key}", s.receipt)
		r.Get("/api/characters/{id}", s.state)
		r.Get("/api/characters/{id}/match", s.matchCharacter)
		r.Get("/api/characters/{id}/style", s.houseStyle)
		r.Get("/api/characters/{id}/history", s.history)
		r.Get("/api/characters/{id}/where/{stage}/{code}", s.where)
		r.Get("/api/characters/{id}/tries/{stage}", s.tries)
		r.Get("/api/characters/{id}/probe/{vertex}", s.probe)
		r.Post("/api/characters/{id}/preview", s.preview)
		r.Post("/api/characters/{id}/measure", s.measure)
		r.Post("/api/characters/{id}/traces", s.traces)
		r.Get("/api/characters/{id}/sheet", s.sheet)
		r.Get("/api/characters/{id}/capcost", s.capCost)
		r.Get("/api/characters/{id}/handoffcost", s.handoffCost)
		r.Get("/api/characters/{id}/handoffplan", s.handoffPlan)
		r.Get("/api/characters/{id}/versions", s.versions)
		r.Get("/characters/{id}/versions/{version}/picture", s.versionPicture)
		r.Get("/api/characters/{id}/compare", s.compare)
		r.Get("/api/characters/{id}/remains", s.remains)
		r.Get("/api/operations", s.describe)
		r.Get("/characters/{id}/score", s.score)
		r.Get("/view/reel/{rev}", s.reelView)
		r.Post("/api/characters/{id}/mirror", s.mirror)
		r.Post("/api/characters/{id}/hand", s.hand)
		r.Post("/api/characters/{id}/spot", s.spot)
		r.Post("/api/characters/{id}/starter", s.starter)
		r.Get("/view/mesh/{rev}", s.meshView)
		r.Get("/view/smooth/{rev}/{levels}", s.smooth)
		r.Get("/view/subdivision/{rev}", s.subdivision)
		r.Get("/view/weights/{rev}", s.weightsView)
		r.Get("/view/weights/{rev}/{joint}", s.columnView)
		r.Get("/view/mix/{rev}", s.mixView)
		r.Get("/view/target/{rev}/{target}", s.targetView)
		r.Get("/view/kept/{rev}/{name}", s.keptView)
		r.Get("/view/motion/{rev}/{clip}", s.motion)
		r.Get("/view/thumbnail/{rev}", s.thumbnail)
	})
	r.Group(func(r chi.Router) { // to change characters
		r.Use(s.requireRole(people.Work))
		r.Post("/api/characters", s.files(s.bringIn))
		r.Post("/api/characters/{id}/rename", s.rename)
		r.Post("/api/characters/{id}/duplicate", s.duplicate)
		r.Post("/api/characters/{id}/ops", s.operate)
		r.Post("/api/characters/{id}/delivery", s.files(s.deliver))
		r.Post("/api/characters/{id}/shelf", s.shelve)
		r.Post("/api/characters/{id}/shelf/discard", s.discard)
		r.Post("/api/characters/{id}/match", s.files(s.matchFile))
		r.Post("/api/characters/{id}/pairs", s.files(s.pairs))
		r.Post("/api/characters/{id}/table", s.files(s.table))
		r.Post("/api/characters/{id}/guides", s.files(s.guides))
		r.Post("/api/characters/{id}/versions", s.keepVersion)
		r.Post("/api/characters/{id}/versions/withdraw", s.withdraw)
		r.Post("/api/which", s.files(s.whichOne))
		r.Post("/api/characters/{id}/undo", s.undo)
		r.Post("/api/characters/{id}/redo", s.redo)
		r.Post("/api/works/{work}/cancel", s.cancelWork)
		r.Post("/api/works/{work}/enough", s.stopWork)
	})
	r.With(s.requireRole(people.Lead)).Post("/api/characters/{id}/remove", s.remove)
	if access == nil {
		r.Post("/api/author", s.setAuthor)
	} else {
		s.signInRoutes(r)
	}
	r.Get("/healthz", s.alive)
	r.Get("/readyz", s.ready)
	r.Get("/notices", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/plain; charset=utf-8")
		_, _ = io.WriteString(w, notices.Text)
	})
	r.Handle("/static/*", static())
	r.NotFound(func(w http.ResponseWriter, r *http.Request) { s.problem(w, r, studio.ErrNotFound) })
	return r
}

// signInRoutes are the routes of signing in and of who may do what.
func (s *site) signInRoutes(r chi.Router) {
	if s.access.Header == "" {
		r.Get("/sign-in", s.signInPage)
		r.Post("/sign-in", s.signIn)
		r.With(s.requireRole(people.Look)).Post("/sign-out", s.signOut)
		r.With(s.requireRole(people.Look)).Post("/api/people/mine", s.peopleDo(s.myPassword))
		r.With(s.requireRole(people.Look)).Post("/api/people/everywhere-out", s.peopleDo(s.everywhereOut))
		r.With(s.requireRole(people.Lead)).Post("/api/people/password", s.peopleDo(s.setPassword))
	}
	r.With(s.requireRole(people.Look)).Get("/people", s.peoplePage)
	r.With(s.requireRole(people.Lead)).Post("/api/people", s.peopleDo(s.addPerson))
	r.With(s.requireRole(people.Lead)).Post("/api/people/role", s.peopleDo(s.setRole))
	r.With(s.requireRole(people.Lead)).Post("/api/people/remove", s.peopleDo(s.removePerson))
}
