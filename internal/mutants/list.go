package main

// mutants are programs that are wrong in one place: limits, signs, sides, guards.
var mutants = []Mutant{
	// Binding and weights.
	{"heat: a vertex sees bones behind it", "core/bind/heat.go", "const facesAway = 0.1", "const facesAway = 1.1", "./core/bind", ""},
	{"heat: no vertex sees a bone that is beside it", "core/bind/heat.go", "const facesAway = 0.1", "const facesAway = -0.9", "./core/bind", ""},
	{"heat: surfaces hide no bone", "core/bind/heat.go", "return !b.tree.Blocked(start, to,", "return true || !b.tree.Blocked(start, to,", "./core/bind", ""},
	{"weights: values that are no numbers pass", "core/weights/weights.go", "if !(x.Value > 0) || math.IsInf(x.Value, 0) {", "if x.Value < 0 {", "./core/weights", ""},
	{"weights: infinite values are kept", "core/weights/weights.go", "if x.Value > 0 && !math.IsInf(x.Value, 1) {", "if x.Value > 0 {", "./core/weights", ""},
	{"weights: sums are not checked", "core/weights/weights.go", "math.Abs(sum-1) > 1e-5", "math.Abs(sum-1) > 1e5", "./core/weights", ""},
	{"weights: a joint twice passes", "core/weights/weights.go", "if y.Joint == x.Joint {", "if y.Joint == -x.Joint-1 {", "./core/weights", ""},
	{"cap: what leaves is not faded", "core/weights/cap.go", "list[i].Value = x.Value - cut", "list[i].Value = x.Value", "./core/weights", ""},
	{"cap: no ramps along the seam", "core/weights/cap.go", "seamRings = 2", "seamRings = 0", "./core/weights ./demo", "Cap|Seam|Stop"},
	{"stray weight: any difference is one", "core/weights/smooth.go", "const strayShare = 0.35", "const strayShare = 0.01", "./core/weights ./stages/weights", ""},
	{"stray weight: none is one", "core/weights/smooth.go", "const strayShare = 0.35", "const strayShare = 1.35", "./core/weights ./stages/weights", ""},
	{"stray weight: neighbors need not agree", "core/weights/smooth.go", "agree = agree && apart(e.At(k), mean) < strayShare", "agree = agree && apart(e.At(k), mean) < 10", "./core/weights ./stages/weights", ""},
	{"brush: take adds", "core/weights/stroke.go", "to = now - float64(x*s.brush.Value)", "to = now + float64(x*s.brush.Value)", "./core/weights", ""},
	{"brush: scale adds", "core/weights/stroke.go", "to = float64(now * (1 + float64(x*(s.brush.Value-1))))", "to = float64(now + float64(x*(s.brush.Value-1)))", "./core/weights", ""},
	{"brush: smoothing takes what others became", "core/weights/stroke.go", "if s.brush.Builds {\n\t\treturn s.e.mean(v, s.net, nil)", "if true {\n\t\treturn s.e.mean(v, s.net, nil)", "./core/weights ./browser", ""},
	{"brush: undo leaves what it reached", "core/weights/stroke.go", "s.e.Of[v] = list\n\t\tout = append(out, v)", "_ = list\n\t\tout = append(out, v)", "./core/weights ./browser", ""},
	{"edit: locked joints change", "core/weights/edit.go", "locked = locked || e.Locked[x.Joint]\n\t}\n\tfor", "locked = false\n\t}\n\tfor", "./core/weights ./stages/weights", ""},
	{"mirror: the middle is not evened", "core/weights/mirror.go", "share = 0.5", "share = 0", "./core/weights", "Mirror|Image|Half|Even|Side"},
	{"mirror: the other side changes", "core/weights/mirror.go", "if !front {\n\t\t\td = -d", "if front {\n\t\t\td = -d", "./core/weights", "Mirror|Image|Half|Even|Side"},
	{"far weights: nothing is far", "core/weights/far.go", "reach[j] = math.Max(2.5*radius, 0.35*length)", "reach[j] = 100 * math.Max(2.5*radius, 0.35*length)", "./core/weights ./demo", "Far|Planted|Problem"},
	{"select: a line turns anywhere", "core/weights/select.go", "math.Cos(35 * math.Pi / 180)", "math.Cos(175 * math.Pi / 180)", "./core/weights", "Selections"},

	// Deforming.
	{"dual quaternions: antipodal turns add up", "core/deform/dual.go", "\t\t\tw = -w\n", "\t\t\tw = +w\n", "./core/deform", ""},
	{"dual quaternions: half of the way", "core/deform/dual.go", "r3.Scale(2, r3.Vec{X: t.Imag", "r3.Scale(1, r3.Vec{X: t.Imag", "./core/deform", ""},
	{"motion check: spill limit ten times", "core/deform/check.go", "FaultSpill:   0.65,", "FaultSpill:   6.5,", "./core/deform ./stages/motion", ""},
	{"motion check: stretch limit ten times", "core/deform/check.go", "FaultStretch: 4, ", "FaultStretch: 40, ", "./core/deform ./stages/motion", ""},
	{"motion check: volume limit ten times", "core/deform/check.go", "FaultVolume:  0.15,", "FaultVolume:  1.5,", "./core/deform ./stages/motion", ""},
	{"motion check: flips do not count", "core/deform/checking.go", "turn(int(t[0])).Direction(c.normals[i])) < 0 {", "turn(int(t[0])).Direction(c.normals[i])) < -1e9 {", "./core/deform", ""},
	{"spot: other joints count", "core/deform/check.go", "of.Joint >= 0 && x.Joint == of.Joint ||", "of.Joint >= 0 ||", "./stages/motion", "Alone"},

	// Skeleton, axes, sides.
	{"axes: a chain has no convention of its own", "core/skeleton/orient.go", "if own := s.Joints[i].Axes; own != (Convention{}) {", "if own := s.Joints[i].Axes; false && own != (Convention{}) {", "./stages/axes", "Convention"},
	{"axes: the right is not mirrored", "core/skeleton/mirror.go", `if c.Sides == "mirror" || name == c.Bend {`, `if name == c.Bend {`, "./core/skeleton", ""},
	{"thumbs fold into the palm", "core/skeleton/flexion.go", "const thumbTurned = 80 * math.Pi / 180", "const thumbTurned = -80 * math.Pi / 180", "./core/skeleton", "Thumb"},
	{"knees bend forward", "core/skeleton/flexion.go", "return r3.Scale(-1, b.forward(i)), true", "return b.forward(i), true", "./core/skeleton", ""},
	{"sides: pairs may hang from anything", "core/skeleton/check.go", "pairs.Sides[i] != Left || s.Joints[k].Parent == image(j.Parent)", "pairs.Sides[i] != Left || true", "./core/skeleton", "Hang"},
	{"reflected: limbs keep their length", "core/skeleton/reflect.go", "scale = long[k] / long[i]", "scale = 1", "./core/skeleton", "Reflected"},
	{"mirror by joints: the bend axis is not turned round", "core/skeleton/reflect.go", `if name == turned || k != i`, `if name == turned+"?" || k != i`, "./stages/weights", "Uneven"},

	// Geometry and meshes.
	{"mesh: doubled faces in another order are two", "core/mesh/degenerate.go", "a[0] == b[1] && (a[1] == b[0] && a[2] == b[2]", "a[0] == b[1] && (a[1] == b[1] && a[2] == b[2]", "./core/mesh", ""},
	{"crossings: triangles that share a vertex never cross", "core/geom/cross.go", "return n >= 2\n", "return n >= 1\n", "./core/geom ./core/health", ""},
	{"crossings: boxes are apart when they touch", "core/geom/cross.go", "b.Min.Z <= c.Max.Z && c.Min.Z <= b.Max.Z", "b.Min.Z <= c.Max.Z && c.Min.Z <= b.Min.Z", "./core/geom ./core/health", ""},
	{"placement: limits are ten times", "core/skeleton/check.go", "sideLimit = 0.01 ", "sideLimit = 0.1 ", "./core/skeleton", "Unevenly"},

	// Formats.
	{"glTF: pictures are not aligned", "formats/gltf/look.go", "for e.bin.Len()%4 != 0 {", "for e.bin.Len()%1 != 0 {", "./formats/gltf", ""},
	{"glTF: what follows pictures is not aligned", "formats/gltf/encode.go", "func (e *encoder) add(a accessor, target int, write func(b *bytes.Buffer)) int {\n\tfor e.bin.Len()%4 != 0 {", "func (e *encoder) add(a accessor, target int, write func(b *bytes.Buffer)) int {\n\tfor e.bin.Len()%1 != 0 {", "./formats/gltf", ""},
	{"glTF: the text chunk is not padded", "formats/gltf/encode.go", "for len(text)%4 != 0 {", "for len(text)%1 != 0 {", "./formats/gltf", ""},
	{"glTF: bounds are of doubles", "formats/gltf/encode.go", "x = float64(float32(x))\n\t\t\tlo[k], hi[k] = math.Min(lo[k], x), math.Max(hi[k], x)\n\t\t}\n\t}\n\tattributes[\"POSITION\"]", "lo[k], hi[k] = math.Min(lo[k], x), math.Max(hi[k], x)\n\t\t}\n\t}\n\tattributes[\"POSITION\"]", "./formats/gltf", ""},
	{"reading: vertices are not counted", "formats/reading/reading.go", "if n > l.Vertices {", "if n > 1000*l.Vertices {", "./formats/...", ""},
	{"reading: goes on when its client has left", "formats/reading/reading.go", "if err := u.ctx.Err(); err != nil {", "if err := u.ctx.Err(); err != nil && false {", "./formats/reading", ""},

	// Studio and store.
	{"gesture: steps of an hour are one", "studio/studio.go", "const GestureWithin = 2 * time.Second", "const GestureWithin = 2 * time.Hour", "./store ./studio ./web", "Gesture|Nudge|Hand|Undo"},
	{"gesture: none is one", "studio/studio.go", "const GestureWithin = 2 * time.Second", "const GestureWithin = -2 * time.Second", "./store ./studio ./web", "Gesture|Nudge|Hand|Undo"},
	{"gesture: of two people", "studio/studio.go", "base.Author != r.Author || ", "", "./store ./studio ./web", "Gesture|Nudge|Hand|Undo"},
	{"store: stale changes pass", "store/characters.go", "if err == nil && c.Head != head {", "if err == nil && c.Head < 0 {", "./store", ""},
	{"store: a key is taken twice", "store/idempotency.go", "if key != \"\" {\n\t\t\terr = tx.Create", "if key == \"\" {\n\t\t\terr = tx.Create", "./store", "Key|Commit"},
	{"store: what is named is swept", "store/blobs.go", `Update("staged_at", nil)`, `Update("size", gorm.Expr("size"))`, "./store", "Swept|Staged"},
	{"store: what is sent again is swept", "store/blobs.go", `gorm.Expr("blobs.staged_at is not null")`, `gorm.Expr("true")`, "./store", ""},
	{"tidy: what parameters name goes", "store/tidy.go", "union select (regexp_matches(params::text, '[0-9a-f]{64}', 'g'))[1] from revisions where", "union select (regexp_matches(params::text, '[0-9a-f]{64}', 'g'))[1] from revisions where false and", "./store", "Refers"},
	{"tidy: where redo leads goes", "store/tidy.go", "r.id in (c.head, c.tip)", "r.id in (c.head)", "./store", "StandsOn"},
	{"tidy: what others stand on goes", "store/tidy.go", "\nunion select base from blobs where base is not null", "", "./store", "StandsOn"},
	{"delta: without end", "store/delta.go", "deltaDeep  = 12 ", "deltaDeep  = 1200 ", "./store", "Little"},
	{"works: one person takes all turns", "store/works.go", "select id from works w where state = 'queued' order by\n", "select id from works w where state = 'queued' order by w.created_at,\n", "./store ./queue", ""},

	// Who may do what.
	{"access: any forwarded address counts", "web/session.go", "list[len(list)-1]", "list[0]", "./web", "Forwarded"},
	{"access: who is no proxy is believed", "web/session.go", "if d.trusts(r.RemoteAddr) {\n\t\tlist", "if true {\n\t\tlist", "./web", "Forwarded"},
	{"access: sessions idle for ever", "web/session.go", "m.IdleTimeout, m.Lifetime = idleSession, longestSession", "m.IdleTimeout, m.Lifetime = longestSession, longestSession", "./web", "HowLong"},
	{"access: sessions never end", "web/session.go", "longestSession = 7 * 24 * time.Hour", "longestSession = 7000 * 24 * time.Hour", "./web", "HowLong"},
	{"access: anybody may remove", "web/routes.go", `r.With(s.requireRole(people.Lead)).Post("/api/characters/{id}/remove", s.remove)`, `r.With(s.requireRole(people.Look)).Post("/api/characters/{id}/remove", s.remove)`, "./web", "Role"},
	{"access: a key answers for another change", "web/idempotency.go", `receipt.What != "" && receipt.What != q.what(r)`, `receipt.What != "" && false`, "./web", "AskedFor"},
	{"people: attempts are free", "people/people.go", "pause := min(time.Second<<min(failed-free, 12), 15*time.Minute)", "pause := min(time.Second>>40, 15*time.Minute)", "./people", ""},
	{"people: common passwords pass", "people/password.go", "const leastScore = 3", "const leastScore = 0", "./people", ""},
	{"memory: small requests wait behind a large one", "web/memory.go", "const largePart = 8", "const largePart = 1", "./web", "Pass"},
	// Remedies, panels, what a page draws.
	{"remedy: holes are filled without limit", "stages/intake/remedies.go", "&FillHoles{Edges: h.Edges}", "&FillHoles{Edges: 100000}", "./stages", "EveryRemedy"},
	{"remedy: it faces the other way", "core/health/frames.go", "Turn: turn, Stand: true}", "Turn: -turn, Stand: true}", "./core/health", ""},
	{"remedy: the wrong joint is reparented", "core/skeleton/check.go", "ways = append(ways, [2]string{name(pair[0]), name(to)})", "ways = append(ways, [2]string{name(to), name(pair[0])})", "./core/skeleton", ""},
	{"remedy: joints are left out of no bind", "stages/bind/remedies.go", "	params[\"skip\"] = skip\n", "	_ = skip\n", "./stages/bind", ""},
	{"panel: characters are cut in two", "web/panel.go", "for tail > 0 && !utf8.RuneStart(b[len(b)-tail]) {", "for false {", "./web", "Panel"},
	{"store: a nudge reads bases one by one", "store/delta.go", "select b.hash, b.base, n + 1 from blobs b join chain on b.hash = chain.base where n <= %d)", "select b.hash, b.base, n + 1 from blobs b join chain on b.hash = chain.base where n < 0 and n <= %d)", "./store", ""},
	{"store: the head moves whatever it was", "store/characters.go", `Where("id = ? and head = ? and removed_at is null", r.Character, c.Head)`, `Where("id = ? and removed_at is null", r.Character)`, "./store", ""},
	{"store: works begin without a job", "store/works.go", "if s.jobs != nil {", "if false {", "./queue", ""},
	{"drawn: normals stay", "browser/drawn.go", "turn.Direction(d.normals[i])", "turn.Direction(turn.Direction(d.normals[i]))", "./browser", ""},
	{"drawn: dual quaternions are left out", "browser/drawn.go", "if len(shares) != 0 {\n\t\tmix", "if len(shares) == -1 {\n\t\tmix", "./browser", ""},
	{"progress: a part counts from the beginning", "core/progress/progress.go", "f(what, from+(to-from)*share)", "f(what, (to-from)*share)", "./core/progress", ""},
}
