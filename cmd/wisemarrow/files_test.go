package main

import (
	"bytes"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"wisemarrow/demo"
	"wisemarrow/formats/gltf"

	"github.com/stretchr/testify/require"
)

// A file that was sent to someone names its buffers; the names lead to what lies in
// its own folder and nowhere else, however they are written.
func TestAFileReadsNothingOutsideItsFolder(t *testing.T) {
	top := t.TempDir()
	dir := filepath.Join(top, "sent")
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "deeper"), 0o755))
	m, _ := demo.Bram(0.05)
	var glb bytes.Buffer
	require.NoError(t, gltf.EncodeGLB(&glb, &gltf.Scene{Mesh: m}))
	text, chunk := halves(glb.Bytes())
	for _, at := range []string{filepath.Join(top, "secret.bin"), filepath.Join(dir, "own.bin"), filepath.Join(dir, "deeper", "own.bin")} {
		require.NoError(t, os.WriteFile(at, chunk, 0o644))
	}
	require.NoError(t, os.Symlink(filepath.Join(top, "secret.bin"), filepath.Join(dir, "link.bin")))
	require.NoError(t, os.Symlink("own.bin", filepath.Join(dir, "near.bin")))
	require.NoError(t, syscall.Mkfifo(filepath.Join(dir, "pipe.bin"), 0o644))
	for uri, good := range map[string]bool{
		"own.bin": true, "deeper/own.bin": true, "near.bin": true,
		"../secret.bin": false, "deeper/../../secret.bin": false, "link.bin": false, "pipe.bin": false, "deeper": false,
		filepath.Join(top, "secret.bin"): false,
	} {
		path := filepath.Join(dir, "body.gltf")
		require.NoError(t, os.WriteFile(path, []byte(strings.Replace(text, `"buffers":[{`, `"buffers":[{"uri":"`+uri+`",`, 1)), 0o644))
		code, _, errs := command(t, "check", path)
		require.Equal(t, good, code != exitInput, "%s: %s", uri, errs)
		if !good {
			require.Contains(t, errs, "buffer 0", uri)
		}
	}
}

// halves returns the text and the binary chunk of a .glb.
func halves(glb []byte) (text string, chunk []byte) {
	n := int(glb[12]) | int(glb[13])<<8 | int(glb[14])<<16
	return string(glb[20 : 20+n]), glb[20+n+8:]
}

// A pipe or a device would never end; a cloud of points has nothing to bind.
func TestWhatIsNoMeshFileIsBadInput(t *testing.T) {
	dir := t.TempDir()
	pipe, cloud, lines := filepath.Join(dir, "pipe.obj"), filepath.Join(dir, "cloud.obj"), filepath.Join(dir, "lines.obj")
	require.NoError(t, syscall.Mkfifo(pipe, 0o644))
	require.NoError(t, os.WriteFile(cloud, []byte("v 0 0 0\nv 1 0 0\nv 0 1 0\n"), 0o644))
	require.NoError(t, os.WriteFile(lines, []byte("v 0 0 0\nv 1 0 0\nv 0 1 0\nl 1 2 3\n"), 0o644))
	for path, want := range map[string]string{pipe: "not a regular file", dir: "not a regular file", cloud: "3 vertices but no face", lines: "no face"} {
		code, _, errs := command(t, "check", path)
		require.Equal(t, exitInput, code, path)
		require.Contains(t, errs, want)
		require.Contains(t, errs, filepath.Base(path))
	}
}
