package studio

import (
	"context"
	"fmt"
	"io"
	"strconv"

	"wisemarrow/core/skeleton"
	"wisemarrow/formats"
	"wisemarrow/formats/gltf"

	"gonum.org/v1/gonum/spatial/r3"
)

// SkeletonFiles are the kinds of file that a skeleton can be read from.
func SkeletonFiles() []string { return formats.SkeletonExtensions }

// Matching is another skeleton and how its joints pair with a character's.
type Matching struct {
	Source  string           `json:"source"`
	Theirs  []Theirs         `json:"theirs"`
	Matches []skeleton.Match `json:"matches"`
	Alone   []string         `json:"alone"`  // theirs without a match
	Ours    []string         `json:"ours"`   // ours without one
	Frames  int              `json:"frames"` // of the motion that the file brings
	Scale   float64          `json:"scale"`  // proposed, so that theirs is as tall as the character
	Away    bool             `json:"away"`   // it stands elsewhere than the character
}

// MatchCharacter pairs the skeleton of another character with that of one.
func (x *Studio) MatchCharacter(ctx context.Context, character, other string) (Matching, error) {
	c, err := x.store.Character(ctx, other)
	if err != nil {
		return Matching{}, err
	}
	s, err := x.head(ctx, other)
	if err != nil {
		return Matching{}, err
	}
	if s.Skeleton == nil {
		return Matching{}, wrong("%s has no skeleton yet", c.Name)
	}
	return x.matching(ctx, character, c.Name, s.Skeleton, 0)
}

// MatchFile pairs the skeleton of a file with that of a character.
func (x *Studio) MatchFile(ctx context.Context, character, file string, r io.Reader, resolve gltf.Resolver) (Matching, error) {
	sk, clip, err := formats.DecodeSkeleton(file, r, resolve, x.limits)
	if err != nil {
		return Matching{}, ErrInput{err.Error()}
	}
	frames := 0
	if clip != nil {
		frames = clip.Frames()
	}
	return x.matching(ctx, character, file, sk, frames)
}

// head returns the state at the head of a character.
func (x *Studio) head(ctx context.Context, character string) (*State, error) {
	c, err := x.store.Character(ctx, character)
	if err != nil {
		return nil, err
	}
	rev, err := x.store.Revision(ctx, c.Head)
	if err != nil {
		return nil, fmt.Errorf("reading the head of %s: %w", c.Name, err)
	}
	return x.Load(ctx, rev)
}

func (x *Studio) matching(ctx context.Context, character, source string, theirs *skeleton.Skeleton, frames int) (Matching, error) {
	s, err := x.head(ctx, character)
	if err != nil {
		return Matching{}, err
	}
	m := Matching{Source: source, Theirs: TheirsOf(theirs), Matches: []skeleton.Match{}, Alone: []string{}, Ours: []string{}, Frames: frames, Scale: proposedScale(s, theirs)}
	paired := map[string]bool{}
	shelf, err := x.Shelf(ctx, character)
	if err != nil {
		return Matching{}, err
	}
	if s.Skeleton != nil {
		var known map[string]string
		most := 0
		for _, n := range shelf.Names { // the naming that fits most, if any
			ours, hits := n.Ours(), 0
			for _, j := range theirs.Joints {
				if s.Skeleton.Index(ours[j.Name]) >= 0 {
					hits++
				}
			}
			if hits > most && hits > 4 {
				most, known = hits, ours
			}
		}
		m.Matches = skeleton.MatchJoints(s.Skeleton, theirs, known)
		for _, p := range m.Matches {
			paired["t"+p.Theirs], paired["o"+p.Ours] = true, true
		}
		for _, j := range s.Skeleton.Joints {
			if !paired["o"+j.Name] {
				m.Ours = append(m.Ours, j.Name)
			}
		}
	}
	scaled, match := theirs.Clone(), map[string]string{}
	for i := range scaled.Joints {
		scaled.Joints[i].Pos = r3.Scale(m.Scale, scaled.Joints[i].Pos)
	}
	for _, p := range m.Matches {
		match[p.Theirs] = p.Ours
	}
	m.Away = r3.Norm(wayHere(*s, scaled, match)) > 0.25*scaled.Height()
	for _, j := range theirs.Joints {
		if !paired["t"+j.Name] {
			m.Alone = append(m.Alone, j.Name)
		}
	}
	return m, nil
}

// PreviewStarter returns the joints of a starter at the size of a character's
// mesh, standing where it stands, for the view to show before it is fitted.
func (x *Studio) PreviewStarter(ctx context.Context, character string, o *FitStarter) ([]Theirs, error) {
	s, err := x.head(ctx, character)
	if err != nil {
		return nil, err
	}
	var sk *skeleton.Skeleton
	p := o.Params
	if o.Own != nil {
		if err := o.Own.Check(); err != nil {
			return nil, wrong("%v", err)
		}
		sk, p = o.Own.Standing(), o.Own.Like
	} else if sk, err = p.Build(); err != nil {
		return nil, wrong("%v", err)
	}
	if s.Mesh != nil {
		f := s.Mesh.Measure()
		k := 1.0
		if h := sk.Height(); h > 0 && p.Starter != "chain" {
			k = f.Height / h
		}
		for i := range sk.Joints {
			j := &sk.Joints[i]
			j.Pos.X, j.Pos.Y, j.Pos.Z = k*j.Pos.X+(f.Min[0]+f.Max[0])/2, k*j.Pos.Y+f.Min[1], k*j.Pos.Z+(f.Min[2]+f.Max[2])/2
		}
	}
	return TheirsOf(sk), nil
}

// proposedScale is 1 where another skeleton is about as tall as the character,
// else the factor that makes it so, to three digits.
func proposedScale(s *State, theirs *skeleton.Skeleton) float64 {
	h := theirs.Height()
	ours := 0.0
	if s.Skeleton != nil {
		ours = s.Skeleton.Height()
	} else if s.Mesh != nil {
		ours = s.Mesh.Measure().Height
	}
	if h <= 0 || ours <= 0 || h > 0.7*ours && h < 1.4*ours {
		return 1
	}
	k, _ := strconv.ParseFloat(strconv.FormatFloat(ours/h, 'g', 3, 64), 64)
	return k
}
