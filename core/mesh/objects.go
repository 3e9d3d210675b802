package mesh

// Object is a mesh as files know it: parts whose vertices, those from number From up to To, are of no other part.
type Object struct {
	Name     string
	Parts    []int
	From, To int
}

// Objects are the meshes that a mesh is written as: those that its parts came in. Where parts of different objects share
// vertices, or the vertices of objects lie among each other, which would give them other numbers when they are read back, the
// mesh is one, of that name.
func (m *Mesh) Objects(name string) []Object {
	key := func(p int) string { return m.Parts[p].Object }
	whole := Object{Name: name, To: len(m.Points)}
	for p := range m.Parts {
		whole.Parts = append(whole.Parts, p)
	}
	at := map[string]int{}
	var list []Object
	of := make([]int, len(m.Parts)) // part → its object
	for p := range m.Parts {
		k, ok := at[key(p)]
		if !ok {
			k = len(list)
			at[key(p)] = k
			list = append(list, Object{Name: key(p), From: len(m.Points)})
		}
		of[p] = k
		list[k].Parts = append(list[k].Parts, p)
	}
	if len(list) == 1 {
		if list[0].Name != "" {
			whole.Name = list[0].Name
		}
		return []Object{whole}
	}
	mine := make([]int, len(m.Points)) // vertex → object + 1
	for f := range m.Faces() {
		k := of[m.PartOf(f)] + 1
		for _, v := range m.Face(f) {
			if mine[v] != 0 && mine[v] != k {
				return []Object{whole}
			}
			mine[v] = k
		}
	}
	last := 0
	var out []Object
	for v, k := range mine {
		switch {
		case k == 0 || k == last: // one without a face goes with those before it
		case list[k-1].To > 0:
			return []Object{whole} // it was there before: others are in between
		default:
			g := &list[k-1]
			g.From, g.To, last = v, len(m.Points), k
			if len(out) == 0 {
				g.From = 0
			} else {
				out[len(out)-1].To = v
			}
			if g.Name == "" {
				g.Name = name
			}
			out = append(out, *g)
		}
	}
	if len(out) == 0 {
		return []Object{whole}
	}
	return out
}
