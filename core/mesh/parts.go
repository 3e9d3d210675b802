package mesh

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"wisemarrow/core/geom"
)

// FindPart returns the number of the part of that name.
func (m *Mesh) FindPart(name string) (int, error) {
	for i, p := range m.Parts {
		if p.Name == name {
			return i, nil
		}
	}
	return 0, fmt.Errorf("the mesh has no part %q", name)
}

// freeName returns name, or name with the lowest number that makes it new.
func freeName(name string, taken map[string]bool) string {
	out := name
	for n := 2; taken[out]; n++ {
		out = fmt.Sprintf("%s_%d", name, n)
	}
	taken[out] = true
	return out
}

// SeparatePieces makes every connected piece of every part a part of its own.
// The piece with the most faces of a part keeps its name and number; the others
// come last, numbered in the order of their lowest vertex.
func (m *Mesh) SeparatePieces() *Mesh {
	pieces := m.Pieces()
	type key struct{ part, piece int32 }
	faces := map[key]int{}
	var order []key
	for f := range m.Faces() {
		k := key{m.PartOf(f), pieces.OfVertex[m.Face(f)[0]]}
		if faces[k] == 0 {
			order = append(order, k)
		}
		faces[k]++
	}
	slices.SortFunc(order, func(a, b key) int { return cmp.Or(cmp.Compare(a.part, b.part), cmp.Compare(a.piece, b.piece)) })
	main := make([]int, len(m.Parts))
	for _, k := range order {
		main[k.part] = max(main[k.part], faces[k])
	}
	out := *m
	out.Parts = slices.Clone(m.Parts)
	taken := map[string]bool{}
	for _, p := range m.Parts {
		taken[p.Name] = true
	}
	number := map[key]int32{}
	kept := make([]bool, len(m.Parts))
	for _, k := range order {
		if !kept[k.part] && faces[k] == main[k.part] {
			kept[k.part] = true
			number[k] = k.part
			continue
		}
		p := m.Parts[k.part]
		p.Name = freeName(p.Name, taken)
		number[k] = int32(len(out.Parts))
		out.Parts = append(out.Parts, p)
	}
	out.Part = make([]int32, m.Faces())
	for f := range out.Part {
		out.Part[f] = number[key{m.PartOf(f), pieces.OfVertex[m.Face(f)[0]]}]
	}
	return &out
}

// JoinParts makes the named parts one, under the number and look of the first.
// It fails with ErrFramed when their transforms differ.
func (m *Mesh) JoinParts(names []string, name string) (*Mesh, error) {
	if len(names) < 2 {
		return nil, fmt.Errorf("select at least two parts to join")
	}
	into := make([]int32, len(m.Parts))
	gone := make([]bool, len(m.Parts))
	for i := range into {
		into[i] = int32(i)
	}
	first, err := m.FindPart(names[0])
	if err != nil {
		return nil, err
	}
	for _, n := range names[1:] {
		i, err := m.FindPart(n)
		if err != nil {
			return nil, err
		}
		if m.Parts[i].Frame != m.Parts[first].Frame {
			return nil, ErrFramed
		}
		into[i], gone[i] = int32(first), i != first
	}
	out := *m
	out.Parts = nil
	number := make([]int32, len(m.Parts))
	for i, p := range m.Parts {
		if gone[i] {
			continue
		}
		number[i] = int32(len(out.Parts))
		out.Parts = append(out.Parts, p)
	}
	for i := range into {
		into[i] = number[into[i]]
	}
	out.Part = make([]int32, m.Faces())
	for f := range out.Part {
		out.Part[f] = into[m.PartOf(f)]
	}
	at, _ := out.FindPart(names[0])
	if name != "" && name != names[0] {
		return out.RenamePart(at, name)
	}
	return &out, nil
}

// RenamePart gives a part another name; an empty or taken one is refused.
func (m *Mesh) RenamePart(i int, name string) (*Mesh, error) {
	name = strings.TrimSpace(name)
	if name == "" || len(name) > 120 {
		return nil, fmt.Errorf("a part needs a name of 1 to 120 characters")
	}
	if k, err := m.FindPart(name); err == nil && k != i {
		return nil, fmt.Errorf("there is a part %q already", name)
	}
	out := *m
	out.Parts = slices.Clone(m.Parts)
	out.Parts[i].Name = name
	return &out, nil
}

// Bindable returns the mesh without the faces of parts that are out of the
// bind, with the same vertices under the same numbers; itself when none is out.
// out marks the vertices that only such parts use; nil when there are none.
func (m *Mesh) Bindable() (in *Mesh, out []bool) {
	return m.without(func(p *Part) bool { return p.Out })
}

// Leading is Bindable, without the parts that follow something else than the bones too.
func (m *Mesh) Leading() (in *Mesh, out []bool) {
	return m.without(func(p *Part) bool { return p.Out || p.Follows != "" && p.Follows != FollowBones })
}

// Only is the mesh with the faces of chosen parts alone, as Bindable is.
func (m *Mesh) Only(parts []bool) (in *Mesh, out []bool) {
	i := -1
	return m.without(func(*Part) bool { i++; return !parts[i] })
}

func (m *Mesh) without(which func(*Part) bool) (in *Mesh, out []bool) {
	leave := make([]bool, len(m.Parts))
	for i := range m.Parts {
		leave[i] = which(&m.Parts[i])
	}
	if !slices.Contains(leave, true) {
		return m, nil
	}
	out = make([]bool, len(m.Points))
	build := buildFrom(m, m.Points)
	for _, pass := range [2]bool{true, false} {
		for f := range m.Faces() {
			if leave[m.PartOf(f)] != pass {
				continue
			}
			for _, v := range m.Face(f) {
				out[v] = pass
			}
			if !pass {
				build.same(f, nil)
			}
		}
	}
	return build.done(identityOrigin(len(m.Points))), out
}

// PartsApart is the mesh in which parts share no vertex, those of the first part first, each an object of its own by its name:
// a vertex that several parts use is there once for each. Normals stay as they were across the seams. Vertices without a face go.
func (m *Mesh) PartsApart() (*Mesh, Origin) {
	faces := make([][]int, len(m.Parts))
	for f := range m.Faces() {
		faces[m.PartOf(f)] = append(faces[m.PartOf(f)], f)
	}
	from := *m
	if from.Normal == nil {
		normals := m.VertexNormals(m.World())
		from.Normal = make([][3]float32, len(m.Corner))
		for c, v := range m.Corner {
			n := normals[v]
			from.Normal[c] = [3]float32{float32(n.X), float32(n.Y), float32(n.Z)}
		}
	}
	var origin Origin
	build := buildFrom(&from, nil)
	to := make([]int32, len(m.Points))
	for _, list := range faces {
		var used []int32
		for _, f := range list {
			used = append(used, m.Face(f)...)
		}
		slices.Sort(used)
		for _, v := range slices.Compact(used) {
			to[v] = int32(len(origin))
			origin = append(origin, v)
			build.out.Points = append(build.out.Points, m.Points[v])
		}
		for _, f := range list {
			build.same(f, to)
		}
	}
	out := build.done(origin)
	out.Parts = slices.Clone(m.Parts)
	for i := range out.Parts {
		out.Parts[i].Object = out.Parts[i].Name
	}
	return out, origin
}

// Unbindable returns the faces that Bindable leaves out, with the same vertices
// under the same numbers.
func (m *Mesh) Unbindable() *Mesh {
	build := buildFrom(m, m.Points)
	for f := range m.Faces() {
		if m.Parts[m.PartOf(f)].Out {
			build.same(f, nil)
		}
	}
	return build.done(identityOrigin(len(m.Points)))
}

// FrameOfVertices returns a function that tells the frame of a vertex.
func (m *Mesh) FrameOfVertices() func(v int32) geom.Matrix {
	part := m.PartOfVertices()
	return func(v int32) geom.Matrix { return m.Parts[part[v]].Frame }
}
