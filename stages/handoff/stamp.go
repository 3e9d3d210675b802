package handoff

import (
	"archive/zip"
	"bufio"
	"bytes"
	"encoding/binary"
	"encoding/json"
	"encoding/xml"
	"io"
	"strconv"
	"strings"
	"time"

	"wisemarrow/core/compare"
	"wisemarrow/studio"
)

// Stamp is what a file says of where it comes from, where its format keeps such things: in asset.extras of glTF, in comments of
// COLLADA, in the documentation of USD.
type Stamp struct {
	Program   string    `json:"program"`
	Character string    `json:"character"` // its id
	Name      string    `json:"name"`
	Revision  int64     `json:"revision"`
	Made      time.Time `json:"made"` // when the revision was
	Version   string    `json:"version,omitempty"`
	Profile   string    `json:"profile,omitempty"`
	Score     *float64  `json:"score,omitempty"` // of the motion check, where it was run on this revision
}

// stampKey is the word under which a stamp stands.
const stampKey = "wiseMarrow"

// Marked is the stamp under its word.
func (s *Stamp) Marked() map[string]*Stamp { return map[string]*Stamp{stampKey: s} }

// mostStamp is how long a stamp may be, and how far into a text one is looked for.
const mostStamp = 64 << 10

// ReadStamp returns what a file says of where it comes from; nil for one that says nothing that can be read. Files are GLB and VRM,
// glTF, USDA and USDZ, COLLADA; what else stands in them is not looked at.
func ReadStamp(data []byte) *Stamp {
	switch {
	case bytes.HasPrefix(data, []byte("glTF")) && len(data) >= 20:
		n := int64(binary.LittleEndian.Uint32(data[12:]))
		if 20+n > int64(len(data)) {
			return nil
		}
		return extrasOf(data[20 : 20+n])
	case bytes.HasPrefix(data, []byte("PK\x03\x04")):
		z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
		if err != nil || len(z.File) == 0 || !strings.HasSuffix(z.File[0].Name, ".usda") {
			return nil
		}
		r, err := z.File[0].Open()
		if err != nil {
			return nil
		}
		defer func() { _ = r.Close() }()                        // it was only read
		head, err := io.ReadAll(io.LimitReader(r, 2*mostStamp)) // it stands at the beginning
		if err != nil {
			return nil
		}
		return docOf(head)
	case bytes.HasPrefix(data, []byte("#usda")):
		return docOf(data)
	case bytes.HasPrefix(bytes.TrimSpace(data[:min(len(data), 100)]), []byte("<?xml")):
		return commentOf(data)
	case bytes.HasPrefix(bytes.TrimSpace(data[:min(len(data), 100)]), []byte("{")):
		return extrasOf(data)
	}
	return nil
}

func stampIn(text []byte) *Stamp {
	var out map[string]json.RawMessage
	if len(text) > mostStamp || json.Unmarshal(text, &out) != nil || out[stampKey] == nil {
		return nil
	}
	s := &Stamp{}
	if json.Unmarshal(out[stampKey], s) != nil || s.Character == "" || s.Revision <= 0 {
		return nil
	}
	return s
}

func extrasOf(text []byte) *Stamp {
	var doc struct {
		Asset struct {
			Extras json.RawMessage `json:"extras"`
		} `json:"asset"`
	}
	if json.Unmarshal(text, &doc) != nil {
		return nil
	}
	return stampIn(doc.Asset.Extras)
}

func docOf(text []byte) *Stamp {
	lines := bufio.NewScanner(bytes.NewReader(text[:min(len(text), 2*mostStamp)]))
	lines.Buffer(nil, 2*mostStamp)
	for n := 0; lines.Scan() && n < 50; n++ {
		if said, ok := strings.CutPrefix(strings.TrimSpace(lines.Text()), "doc = "); ok {
			if said, err := strconv.Unquote(said); err == nil {
				return stampIn([]byte(said))
			}
		}
	}
	return nil
}

func commentOf(text []byte) *Stamp {
	d := xml.NewDecoder(bytes.NewReader(text[:min(len(text), 2*mostStamp)]))
	for {
		t, err := d.Token()
		if err != nil {
			return nil // it ends, or is none
		}
		if e, ok := t.(xml.StartElement); ok && e.Name.Local == "comments" {
			var said string
			if d.DecodeElement(&said, &e) != nil {
				return nil
			}
			return stampIn([]byte(said))
		}
	}
}

// SideOf is a state as it is compared.
func SideOf(s *studio.State) compare.Side {
	return compare.Side{Mesh: s.Mesh, Skeleton: s.Skeleton, Weights: s.Weights, Marks: s.Settings.Marks, Clips: s.Clips}
}
