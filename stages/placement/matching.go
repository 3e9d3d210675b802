package placement

import (
	"context"
	"strconv"

	"wisemarrow/core/skeleton"
	"wisemarrow/studio"

	"gonum.org/v1/gonum/spatial/r3"
)

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
	File    *studio.File     `json:"file,omitempty"`
}

// MatchCharacter pairs the skeleton of another character with that of one.
func MatchCharacter(ctx context.Context, x *studio.Studio, character, other string) (Matching, error) {
	c, _, s, err := x.Head(ctx, other)
	if err != nil {
		return Matching{}, err
	}
	if s.Skeleton == nil {
		return Matching{}, studio.Wrong("%s has no skeleton yet", c.Name)
	}
	return matching(ctx, x, character, c.Name, s.Skeleton, 0)
}

// MatchFile pairs the skeleton of a file with that of a character.
func MatchFile(ctx context.Context, x *studio.Studio, character string, file studio.File) (Matching, error) {
	op := &AdoptSkeleton{File: &file}
	x.Attach(ctx, op)
	sk, clip, err := op.File.Skeleton(ctx)
	if err != nil {
		return Matching{}, err
	}
	frames := 0
	if clip != nil {
		frames = clip.Frames()
	}
	m, err := matching(ctx, x, character, file.Name, sk, frames)
	m.File = &file
	return m, err
}

func matching(ctx context.Context, x *studio.Studio, character, source string, theirs *skeleton.Skeleton, frames int) (Matching, error) {
	_, _, s, err := x.Head(ctx, character)
	if err != nil {
		return Matching{}, err
	}
	m := Matching{
		Source:  source,
		Theirs:  TheirsOf(theirs),
		Matches: []skeleton.Match{},
		Alone:   []string{},
		Ours:    []string{},
		Frames:  frames,
		Scale:   proposedScale(s, theirs),
	}
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

// proposedScale is 1 where another skeleton is about as tall as the character,
// else the factor that makes it so, to three digits.
func proposedScale(s *studio.State, theirs *skeleton.Skeleton) float64 {
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
