package gltf

import (
	"bytes"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"net/url"
	"strings"

	"wisemarrow/formats/look"
	"wisemarrow/formats/reading"
)

// takeLook keeps the materials with their textures and pictures. A picture that
// is not there takes the textures with it, and a note says so.
func (d *decoder) takeLook(resolve Resolver) error {
	if len(d.doc.Materials) == 0 {
		return nil
	}
	l := &look.Look{Materials: d.doc.Materials, Textures: d.doc.Textures, Samplers: d.doc.Samplers, Extensions: d.doc.ExtensionsUsed}
	d.scene.Look = l
	total := int64(0)
	for i, im := range d.doc.Images {
		data, err := d.picture(i, im, resolve)
		if err != nil {
			d.scene.Notes = append(
				d.scene.Notes,
				fmt.Sprintf(
					"picture %d %s is missing or unknown (%v), so the materials keep their colors and lose their textures",
					i,
					im.URI,
					err,
				),
			)
			d.scene.Look = l.WithoutTextures()
			return nil
		}
		if total += int64(len(data)); total > d.limits.Bytes {
			return fmt.Errorf("image %d: %w of %d MB", i, reading.ErrTooLarge, d.limits.Bytes>>20)
		}
		l.Images = append(l.Images, look.Image{Name: im.Name, Mime: look.MimeOf(data), Data: data})
	}
	return nil
}

func (d *decoder) picture(i int, im image, resolve Resolver) ([]byte, error) {
	where := fmt.Sprintf("image %d", i)
	var data []byte
	switch {
	case im.View != nil:
		b, _, err := d.view(*im.View, where)
		if err != nil {
			return nil, err
		}
		data = bytes.Clone(b)
	case strings.HasPrefix(im.URI, "data:"):
		comma := strings.IndexByte(im.URI, ',')
		if comma < 0 || !strings.HasSuffix(im.URI[:comma], ";base64") {
			return nil, reading.At(where, "its data URI is not base64")
		}
		b, err := base64.StdEncoding.DecodeString(im.URI[comma+1:])
		if err != nil {
			return nil, reading.At(where, "its data URI is broken: %v", err)
		}
		data = b
	default:
		name, err := url.PathUnescape(im.URI)
		if err != nil || resolve == nil || !beside(name) {
			return nil, reading.At(where, "%q is not among the files beside the .gltf", im.URI)
		}
		if data, err = resolve(name); err != nil {
			return nil, err
		}
	}
	if look.MimeOf(data) == "" {
		return nil, reading.At(where, "it is not a PNG, JPEG or WebP")
	}
	return data, nil
}

// beside reports whether a name stays in the folder of the file.
func beside(name string) bool {
	return !strings.Contains(name, "..") && !strings.Contains(name, ":") && !strings.HasPrefix(name, "/")
}

// colour is the part of a material that the views draw.
func materialColour(raw json.RawMessage) (name string, rgb [3]float32, ok bool) {
	var m material
	if json.Unmarshal(raw, &m) != nil {
		return "", rgb, false
	}
	if m.PBR != nil && m.PBR.BaseColour != nil {
		c := *m.PBR.BaseColour
		return m.Name, [3]float32{c[0], c[1], c[2]}, true
	}
	return m.Name, rgb, false
}

// look writes textures, samplers and pictures as they came; materials are
// written when a part wants them.
func (e *encoder) look(l *look.Look) {
	if l.Empty() {
		return
	}
	e.doc.Textures, e.doc.Samplers, e.doc.ExtensionsUsed = l.Textures, l.Samplers, l.Extensions
	for _, im := range l.Images {
		for e.bin.Len()%4 != 0 {
			e.bin.WriteByte(0)
		}
		view := len(e.doc.BufferViews)
		e.doc.BufferViews = append(e.doc.BufferViews, bufferView{Offset: e.bin.Len(), Length: len(im.Data)})
		e.bin.Write(im.Data)
		e.doc.Images = append(e.doc.Images, image{Name: im.Name, Mime: im.Mime, View: &view})
	}
}
