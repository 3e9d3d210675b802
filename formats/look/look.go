// Package look holds the materials of a file as they came, so that the handoff
// can give them away as they are. They take no part in any computation.
package look

import (
	"bytes"
	"encoding/json"
	"strings"
)

// Look is what glTF 2.0 says of materials, textures, samplers and images, each
// as it stood in the file; numbers in it index the lists here. Other formats
// are put into these words.
type Look struct {
	Materials  []json.RawMessage `json:"materials,omitempty"`
	Textures   []json.RawMessage `json:"textures,omitempty"`
	Samplers   []json.RawMessage `json:"samplers,omitempty"`
	Images     []Image           `json:"images,omitempty"`
	Extensions []string          `json:"extensions,omitempty"` // that they use
}

// Image is a picture file.
type Image struct {
	Name string `json:"name,omitempty"`
	Mime string `json:"mime"`
	Data []byte `json:"data"`
}

// Empty reports whether there is nothing to pass on.
func (l *Look) Empty() bool { return l == nil || len(l.Materials) == 0 }

// WithoutTextures returns the materials with every mention of a texture taken
// out, for when a picture is missing.
func (l *Look) WithoutTextures() *Look {
	out := &Look{Extensions: l.Extensions}
	for _, m := range l.Materials {
		var v any
		if json.Unmarshal(m, &v) != nil {
			out.Materials = append(out.Materials, json.RawMessage("{}"))
			continue
		}
		text, err := json.Marshal(strip(v))
		if err != nil {
			text = []byte("{}")
		}
		out.Materials = append(out.Materials, text)
	}
	return out
}

func strip(v any) any {
	m, ok := v.(map[string]any)
	if !ok {
		return v
	}
	for k, x := range m {
		if strings.HasSuffix(k, "Texture") {
			delete(m, k)
		} else {
			m[k] = strip(x)
		}
	}
	return m
}

// MimeOf tells PNG, JPEG and WebP by their first bytes, "" for anything else.
func MimeOf(data []byte) string {
	switch {
	case bytes.HasPrefix(data, []byte("\x89PNG\r\n\x1a\n")):
		return "image/png"
	case bytes.HasPrefix(data, []byte("\xff\xd8\xff")):
		return "image/jpeg"
	case len(data) > 12 && string(data[:4]) == "RIFF" && string(data[8:12]) == "WEBP":
		return "image/webp"
	}
	return ""
}
