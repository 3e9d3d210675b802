package usd

import (
	"archive/zip"
	"fmt"
	"hash/crc32"
	"io"
	"strings"

	"wisemarrow/formats/gltf"
	"wisemarrow/formats/look"
	"wisemarrow/formats/outgoing"
)

// EncodePacked writes a scene as .usdz: a ZIP without compression whose files begin at multiples of 64 bytes (USDZ
// specification), first the layer, then the pictures.
func EncodePacked(w io.Writer, x *gltf.Scene, o Options) error {
	c := &counter{w: w}
	z := zip.NewWriter(c)
	add := func(name string, data []byte) error {
		if err := z.Flush(); err != nil {
			return err
		}
		h := &zip.FileHeader{Name: name, Method: zip.Store}
		// A field of padding, with four bytes of its own, behind the header of 30 bytes and the name.
		pad := (64 - (c.n+30+len(name)+4)%64) % 64
		h.Extra = append([]byte{0x86, 0x19, byte(pad), 0}, make([]byte, pad)...)
		h.CRC32, h.CompressedSize64, h.UncompressedSize64 = crc32.ChecksumIEEE(data), uint64(len(data)), uint64(len(data))
		out, err := z.CreateRaw(h)
		if err == nil {
			_, err = out.Write(data)
		}
		return err
	}
	var text strings.Builder
	if err := encode(&text, x, o, true); err != nil {
		return err
	}
	if err := add("character.usda", []byte(text.String())); err != nil {
		return err
	}
	for i, name := range pictures(x.Look) {
		if name != "" {
			if err := add(name, x.Look.Images[i].Data); err != nil {
				return err
			}
		}
	}
	return z.Close()
}

// pictures are the names of a look's pictures in a package, "" for those that USDZ does not know.
func pictures(l *look.Look) (out []string) {
	if l == nil {
		return nil
	}
	for i, im := range l.Images {
		name := ""
		if end := outgoing.Ending(im.Mime); end == "png" || end == "jpg" {
			name = fmt.Sprintf("textures/%d.%s", i, end)
		}
		out = append(out, name)
	}
	return out
}

// counter counts what goes through, so that files of a package can begin where they should.
type counter struct {
	w io.Writer
	n int
}

func (c *counter) Write(p []byte) (int, error) {
	n, err := c.w.Write(p)
	c.n += n
	return n, err
}
