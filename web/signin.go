package web

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"wisemarrow/people"
	"wisemarrow/studio"
)

func urlQuery(s string) string { return url.QueryEscape(s) }

// signInPage asks for name and password.
func (s *site) signInPage(w http.ResponseWriter, r *http.Request) {
	s.pages.render(w, r, "signin", map[string]any{"To": inside(r.URL.Query().Get("to"))})
}

// inside is a path of this site, "/" for anything else, so that signing in leads nowhere
// else.
func inside(to string) string {
	u, err := url.Parse(to)
	if err != nil || u.Host != "" || u.Scheme != "" || !strings.HasPrefix(to, "/") || strings.HasPrefix(to, "//") ||
		strings.ContainsAny(to, "\\\r\n\t") {
		return "/"
	}
	return to
}

func (s *site) signIn(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, 16<<10)
	if err := r.ParseForm(); err != nil {
		s.problem(w, r, unread(err, "%d kB", 16))
		return
	}
	name, to := strings.TrimSpace(r.PostFormValue("name")), inside(r.PostFormValue("to"))
	from := s.access.from(r)
	p, err := people.Person{}, people.ErrWrong
	if people.CheckName(name) == nil {
		p, err = people.SignIn(r.Context(), s.access.People, name, r.PostFormValue("password"), from)
	}
	var wait people.WaitError
	switch {
	case err == nil:
	case errors.As(err, &wait):
		w.Header().Set("Retry-After", strconv.Itoa(int(wait.For/time.Second)+1))
		s.again(w, r, http.StatusTooManyRequests, name, to, err)
		return
	case errors.Is(err, people.ErrWrong):
		if people.CheckName(name) == nil {
			s.note(r, name, "could not sign in: name or password wrong")
		}
		s.again(w, r, http.StatusUnauthorized, name, to, err)
		return
	default:
		s.problem(w, r, err)
		return
	}
	m := s.access.sessions
	if err := m.RenewToken(r.Context()); err != nil {
		s.problem(w, r, err)
		return
	}
	m.Put(r.Context(), "name", p.Name)
	m.Put(r.Context(), "begun", time.Now().UnixNano())
	s.note(r, p.Name, "signed in")
	http.Redirect(w, r, to, http.StatusSeeOther)
}

// again asks once more, and says why.
func (s *site) again(w http.ResponseWriter, r *http.Request, code int, name, to string, err error) {
	w.Header().Set("Cache-Control", "no-store")
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.WriteHeader(code)
	text := err.Error()
	s.pages.render(w, r, "signin", map[string]any{"To": to, "Name": name, "Refusal": strings.ToUpper(text[:1]) + text[1:] + "."})
}

func (s *site) signOut(w http.ResponseWriter, r *http.Request) {
	p, _ := personOf(r.Context())
	if err := s.access.sessions.Destroy(r.Context()); err != nil {
		s.problem(w, r, err)
		return
	}
	s.note(r, p.Name, "signed out")
	http.Redirect(w, r, "/sign-in", http.StatusSeeOther)
}

// peoplePage is one's own account, and for a lead all people and the audit.
func (s *site) peoplePage(w http.ResponseWriter, r *http.Request) {
	p, _ := personOf(r.Context())
	data := map[string]any{"Me": p, "Roles": people.Roles, "Passwords": s.access.Header == ""}
	if p.Role.May(people.Lead) {
		list, err := s.access.People.People(r.Context())
		if err != nil {
			s.problem(w, r, err)
			return
		}
		events, err := s.access.People.Events(r.Context(), auditShown)
		if err != nil {
			s.problem(w, r, err)
			return
		}
		data["People"], data["Events"], data["Shown"] = list, events, auditShown
	}
	s.pages.render(w, r, "people", data)
}

// auditShown is how many lines of the audit the page has; the table has all.
const auditShown = 200

type personRequest struct {
	Name     string      `json:"name"`
	Role     people.Role `json:"role"`
	Password string      `json:"password"`
	Old      string      `json:"old"`
}

// peopleDo answers a request about people with what was done.
func (s *site) peopleDo(do func(r *http.Request, q personRequest, me people.Person) (string, error)) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		var q personRequest
		err := read(w, r, &q)
		me, _ := personOf(r.Context())
		var told string
		if err == nil {
			told, err = do(r, q, me)
		}
		for _, known := range []error{people.ErrNobody, people.ErrTaken, people.ErrLastLead} {
			if errors.Is(err, known) {
				err = studio.InputError{What: err.Error()}
			}
		}
		if err != nil {
			s.problem(w, r, err)
			return
		}
		s.note(r, me.Name, told)
		answer(w, http.StatusOK, map[string]string{"told": told})
	}
}

func wrong(err error) error {
	if err == nil {
		return nil
	}
	return studio.InputError{What: err.Error(), Cause: err}
}

func (s *site) addPerson(r *http.Request, q personRequest, _ people.Person) (string, error) {
	p := people.Person{Name: q.Name, Role: q.Role}
	err := errors.Join(people.CheckName(q.Name), people.CheckRole(q.Role))
	if err == nil && (s.access.Header == "" || q.Password != "") {
		if err = people.CheckPassword(q.Name, q.Password); err == nil {
			p.Password = people.Hash(q.Password)
		}
	}
	if err != nil {
		return "", wrong(err)
	}
	return fmt.Sprintf("added %s as %s", p.Name, p.Role), s.access.People.AddPerson(r.Context(), p)
}

func (s *site) setRole(r *http.Request, q personRequest, _ people.Person) (string, error) {
	if err := people.CheckRole(q.Role); err != nil {
		return "", wrong(err)
	}
	p, err := s.access.People.Person(r.Context(), q.Name)
	if err != nil {
		return "", err
	}
	p.Role, p.Since = q.Role, time.Time{}
	return fmt.Sprintf("made %s %s", p.Name, p.Role), s.access.People.ChangePerson(r.Context(), p)
}

// setPassword gives somebody a new password and signs them out everywhere.
func (s *site) setPassword(r *http.Request, q personRequest, _ people.Person) (string, error) {
	return s.newPassword(r, q, "gave "+q.Name+" a new password")
}

func (s *site) newPassword(r *http.Request, q personRequest, told string) (string, error) {
	p, err := s.access.People.Person(r.Context(), q.Name)
	if err != nil {
		return "", err
	}
	if err := people.CheckPassword(p.Name, q.Password); err != nil {
		return "", wrong(err)
	}
	p.Password, p.Since = people.Hash(q.Password), time.Now()
	return told, s.access.People.ChangePerson(r.Context(), p)
}

// myPassword changes one's own password, of whoever knows the old one.
func (s *site) myPassword(r *http.Request, q personRequest, me people.Person) (string, error) {
	if _, err := people.SignIn(r.Context(), s.access.People, me.Name, q.Old, s.access.from(r)); err != nil {
		if errors.Is(err, people.ErrWrong) {
			err = errors.New("the old password is wrong")
		}
		return "", wrong(err)
	}
	q.Name = me.Name
	return s.newPassword(r, q, "changed the own password")
}

func (s *site) removePerson(r *http.Request, q personRequest, _ people.Person) (string, error) {
	return "removed " + q.Name, s.access.People.RemovePerson(r.Context(), q.Name)
}

// everywhereOut ends all sessions: one's own, or as a lead those of somebody.
func (s *site) everywhereOut(r *http.Request, q personRequest, me people.Person) (string, error) {
	if q.Name == "" {
		q.Name = me.Name
	}
	if q.Name != me.Name && !me.Role.May(people.Lead) {
		return "", errMayNot
	}
	p, err := s.access.People.Person(r.Context(), q.Name)
	if err != nil {
		return "", err
	}
	p.Since = time.Now()
	return "signed " + p.Name + " out everywhere", s.access.People.ChangePerson(r.Context(), p)
}
