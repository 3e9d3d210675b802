package fit

import (
	"math"

	"wisemarrow/core/geom"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/spatial/r3"
)

// Among which lengths a pair of legs is divided, as shares of the height, around those of Drillis & Contini 1966.
const (
	footFrom, footTo, footStep = 0.085, 0.185, 0.008 // from the ankle to the tip of the toes
	boneFrom, boneTo, boneStep = 0.17, 0.33, 0.0055
	footOverShank              = 0.58 // as measured on characters, in shoes and without
	thighOverShank             = (skeleton.HipHeight - skeleton.KneeHeight) / (skeleton.KneeHeight - skeleton.AnkleHeight)
)

// forkOverHips is how far above the hip joints the middle lines of the legs meet, as a share of the height, as measured on
// characters.
const forkOverHips = 0.038

// divided is a limb of three bones from its root: hip, knee and ankle, or shoulder, elbow and wrist.
type divided struct {
	hip, knee, ankle r3.Vec
	bend             float64 // of the middle one, degrees
}

// sampled is the middle line of a limb from its tip by even steps, led on beyond its root.
type sampled struct {
	at   []r3.Vec
	step float64
}

// sample divides a way from the end of its limb; from a length on it is straight, as it is from another length to there.
func sample(w way, from, free, length float64) sampled {
	const n = 72
	s := sampled{step: length / n}
	a, b := w.at(w.cut+from).At, w.at(w.cut+free).At
	d := r3.Sub(b, a)
	if r3.Norm(d) > 0 {
		d = r3.Unit(d)
	}
	for k := range n + 1 {
		arc := s.step * float64(k)
		if arc <= free {
			s.at = append(s.at, w.at(w.cut+arc).At)
		} else {
			s.at = append(s.at, r3.Add(b, r3.Scale(arc-free, d)))
		}
	}
	return s
}

// sections is the line of an arm as its sections tell it, led on straight from where they are the arm's alone.
func (a arm) sections(length float64) sampled {
	const n = 72
	s := sampled{step: length / n}
	end := a.line[a.clean]
	d := r3.Sub(a.shoulder, end.at)
	if r3.Norm(d) > 0 {
		d = r3.Unit(d)
	}
	l := limb{line: a.line}
	for k := range n + 1 {
		if arc := s.step * float64(k); arc <= end.arc {
			s.at = append(s.at, l.at(arc))
		} else {
			s.at = append(s.at, r3.Add(end.at, r3.Scale(arc-end.arc, d)))
		}
	}
	return s
}

// beyond returns the number of the sample from k on at a distance from a place, -1 for none, and the place there.
func (s sampled) beyond(k int, from r3.Vec, distance float64) (int, r3.Vec) {
	for ; k < len(s.at); k++ {
		if d := r3.Norm(r3.Sub(s.at[k], from)); d >= distance {
			if k == 0 {
				return k, s.at[k]
			}
			e := r3.Norm(r3.Sub(s.at[k-1], from))
			t := 1.0
			if d > e {
				t = max(0, min(1, (distance-e)/(d-e)))
			}
			return k, r3.Add(s.at[k-1], r3.Scale(t, r3.Sub(s.at[k], s.at[k-1])))
		}
	}
	return -1, r3.Vec{}
}

// off returns the mean square distance of the samples from three bones: from the tip to a place at the sample first, on to
// one at second, and to one at third.
func (s sampled) off(first, second, third int, a, b, c r3.Vec) float64 {
	sum := s.spread(1, first, s.at[0], a) + s.spread(first, second, a, b) + s.spread(second, third, b, c)
	return sum / float64(third)
}

// spread returns the sum of squared distances of the samples from k to l from the segment between two places.
func (s sampled) spread(k, l int, a, b r3.Vec) float64 {
	sum := 0.0
	for i := k; i < l; i++ {
		on, _ := geom.ClosestOnSegment(s.at[i], a, b)
		sum += r3.Norm2(r3.Sub(s.at[i], on))
	}
	return sum
}

// dividedLegs finds foot, shank and thigh, of the same lengths on both sides, that lie along the middle lines: among all
// lengths those whose bones keep to the lines, end where the pelvis is, and are like a body's. shoulders is the middle
// between the shoulder joints.
func (c carriage) dividedLegs(shoulders r3.Vec) (best [2]divided, found bool) {
	size := c.size
	var lines [2]sampled
	for s := range 2 {
		lines[s] = sample(c.feet[s], 0.39*size, 0.51*size, 0.82*size)
	}
	// The middle lines of the legs meet above the hip joints.
	pelvis := r3.Sub(c.pelvis, r3.Scale(forkOverHips*size, c.up))
	least := math.Inf(1)
	const lineSpread, lineWeight = 0.011, 9 // of the middle line from the bones; as many samples as count
	for foot := footFrom; foot < footTo; foot += footStep {
		for shank := boneFrom; shank < boneTo; shank += boneStep {
			part := unlikely(math.Log(foot/shank)-math.Log(footOverShank), 0.16) +
				unlikely(math.Log(shank/(skeleton.KneeHeight-skeleton.AnkleHeight)), 0.12)
			if part > least {
				continue
			}
			var ankles, knees [2]r3.Vec
			var ka, kk [2]int
			ok := true
			for s := range 2 {
				l := lines[s]
				ka[s], ankles[s] = l.beyond(0, l.at[0], foot*size)
				if ok = ok && ka[s] >= 0; !ok {
					break
				}
				kk[s], knees[s] = l.beyond(ka[s], ankles[s], shank*size)
				if ok = ok && kk[s] >= 0; !ok {
					break
				}
			}
			if !ok {
				continue
			}
			for thigh := boneFrom; thigh < boneTo; thigh += boneStep {
				score := part + unlikely(math.Log(thigh/shank/thighOverShank), 0.06)
				var legs [2]divided
				for s := range 2 {
					l := lines[s]
					kh, hip := l.beyond(kk[s], knees[s], thigh*size)
					if kh < 0 {
						score = math.Inf(1)
						break
					}
					off := l.off(ka[s], kk[s], kh, ankles[s], knees[s], hip) / (size * size)
					score += lineWeight * off / (lineSpread * lineSpread)
					along := r3.Sub(hip, knees[s])
					score += unlikely(r3.Dot(r3.Sub(hip, pelvis), r3.Unit(along))/size, 0.03)
					legs[s] = divided{ankle: ankles[s], knee: knees[s], hip: hip}
				}
				if score > least {
					continue
				}
				hips := r3.Scale(0.5, r3.Add(legs[0].hip, legs[1].hip))
				score += unlikely(math.Log(r3.Norm(r3.Sub(shoulders, hips))/size/(skeleton.ShoulderHeight-skeleton.HipHeight)), 0.10)
				if score < least {
					least, best, found = score, legs, true
				}
			}
		}
	}
	bends(&best)
	return best, found
}

// armLeast and armMost are the lengths, as shares of the height, between which an arm may be as its sections tell it.
const (
	armLeast = 0.37
	armMost  = 0.54
)

// dividedArms finds hand, forearm and upper arm, of the same lengths on both sides, as dividedLegs does with legs. read
// are the arms as their sections tell them, which a bent elbow or a hand near the body may mislead.
func (c carriage) dividedArms(read [2]arm) (best [2]divided, found bool) {
	size := c.size
	var lines [2]sampled
	for s := range 2 {
		lines[s] = sample(c.hands[s], 0.31*size, 0.37*size, 0.56*size)
		if read[s].total > armLeast*size {
			lines[s] = read[s].sections(0.56 * size)
		}
	}
	least := math.Inf(1)
	const lineSpread, lineWeight = 0.009, 9
	mid := func(p [2]r3.Vec) r3.Vec { return r3.Scale(0.5, r3.Add(p[0], p[1])) }
	for hand := 0.07; hand < 0.16; hand += 0.006 {
		for fore := 0.10; fore < 0.21; fore += 0.006 {
			part := unlikely(math.Log(hand/fore)-math.Log(skeleton.Hand/skeleton.Forearm), 0.16) +
				unlikely(math.Log(fore/skeleton.Forearm), 0.15)
			if part > least {
				continue
			}
			var wrists, elbows [2]r3.Vec
			var kw, ke [2]int
			ok := true
			for s := range 2 {
				l := lines[s]
				if kw[s], wrists[s] = l.beyond(0, l.at[0], hand*size); kw[s] >= 0 {
					ke[s], elbows[s] = l.beyond(kw[s], wrists[s], fore*size)
				}
				ok = ok && kw[s] >= 0 && ke[s] >= 0
				if a := read[s]; ok && a.narrow {
					part += min(unlikely(r3.Norm(r3.Sub(wrists[s], a.wrist.at))/size, 0.015), 4)
				}
			}
			if !ok || part > least {
				continue
			}
			for upper := 0.12; upper < 0.25; upper += 0.006 {
				score := part + unlikely(math.Log(upper/fore)-math.Log(skeleton.UpperArm/skeleton.Forearm), 0.08)
				score += unlikely(math.Log((hand+fore+upper)/0.44), 0.1)
				var arms [2]divided
				var shoulders [2]r3.Vec
				for s := range 2 {
					l := lines[s]
					ks, shoulder := l.beyond(ke[s], elbows[s], upper*size)
					if ks < 0 {
						score = math.Inf(1)
						break
					}
					off := l.off(kw[s], ke[s], ks, wrists[s], elbows[s], shoulder) / (size * size)
					score += lineWeight * off / (lineSpread * lineSpread)
					if a := read[s]; a.total > armLeast*size {
						score += min(unlikely(r3.Norm(r3.Sub(shoulder, a.shoulder))/size, 0.018), 5)
					}
					shoulders[s] = shoulder
					arms[s] = divided{ankle: wrists[s], knee: elbows[s], hip: shoulder}
				}
				if score > least {
					continue
				}
				across := r3.Sub(shoulders[0], shoulders[1])
				score += unlikely(math.Log(max(r3.Norm(across), 0.02*size)/size/0.23), 0.2)
				score += unlikely(r3.Dot(across, c.up)/size, 0.025) + unlikely(r3.Dot(across, c.front)/size, 0.035)
				trunk := r3.Dot(r3.Sub(mid(shoulders), c.pelvis), c.up)/size + forkOverHips
				score += unlikely(math.Log(max(trunk, 0.05)/(skeleton.ShoulderHeight-skeleton.HipHeight)), 0.12)
				if score < least {
					least, best, found = score, arms, true
				}
			}
		}
	}
	bends(&best)
	return best, found
}

// unlikely is how much a difference with a spread speaks against, twice the negative logarithm of its likelihood.
func unlikely(x, spread float64) float64 { return x * x / (spread * spread) }

// bends measures how far the middle joints of a pair are bent.
func bends(pair *[2]divided) {
	for s := range pair {
		b := &pair[s]
		in, out := r3.Sub(b.knee, b.hip), r3.Sub(b.ankle, b.knee)
		if r3.Norm(in) > 0 && r3.Norm(out) > 0 {
			b.bend = math.Acos(max(-1, min(1, r3.Dot(r3.Unit(in), r3.Unit(out))))) * 180 / math.Pi
		}
	}
}
