package web

import (
	"bytes"
	"compress/gzip"
	"crypto/sha256"
	"embed"
	"encoding/base64"
	"encoding/hex"
	"io/fs"
	"net/http"
	"path"
	"regexp"
	"strings"
	"sync"
)

//go:embed static templates
var files embed.FS

// assets is the address of everything static. It has a hash of all of it within, so
// that browsers may keep it for good and a new program brings new addresses.
var assets = sync.OnceValue(func() string {
	h := sha256.New()
	err := fs.WalkDir(files, "static", func(name string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		data, err := files.ReadFile(name)
		_, _ = h.Write([]byte(name + "\n")) // a hash takes all that is written
		_, _ = h.Write(data)
		return err
	})
	if err != nil {
		panic(err) // the embedded folder is part of the binary
	}
	return "/static/" + hex.EncodeToString(h.Sum(nil))[:16] + "/"
})

// static serves the files of the current address for good, and of any other not.
func static() http.Handler {
	dir, err := fs.Sub(files, "static")
	if err != nil {
		panic(err) // the embedded folder is part of the binary
	}
	serve := http.StripPrefix(assets(), http.FileServerFS(dir))
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if !strings.HasPrefix(r.URL.Path, assets()) || strings.HasSuffix(r.URL.Path, "/") {
			http.Error(w, "No such file. The page may be from an earlier version: reload it.", http.StatusNotFound)
			return
		}
		w.Header().Set("Cache-Control", "public, max-age=31536000, immutable")
		if name := "static/" + strings.TrimPrefix(r.URL.Path, assets()); strings.Contains(r.Header.Get("Accept-Encoding"), "gzip") &&
			r.Header.Get("Range") == "" {
			if kind := kinds[path.Ext(name)]; kind != "" {
				if data := packed(name); data != nil {
					w.Header().Set("Content-Type", kind)
					w.Header().Set("Content-Encoding", "gzip")
					w.Header().Set("Vary", "Accept-Encoding")
					_, _ = w.Write(data)
					return
				}
			}
		}
		if strings.HasSuffix(r.URL.Path, ".wasm") {
			w.Header().Set("Content-Type", "application/wasm")
		}
		serve.ServeHTTP(w, r)
	})
}

// kinds are the types of what is sent packed.
var kinds = map[string]string{
	".js":   "text/javascript; charset=utf-8",
	".css":  "text/css; charset=utf-8",
	".svg":  "image/svg+xml",
	".wasm": "application/wasm",
}

var kept sync.Map // path → once packed

// packed is a static file packed by gzip, once for all who ask; nil if there is none.
func packed(name string) []byte {
	once, _ := kept.LoadOrStore(name, sync.OnceValue(func() []byte {
		data, err := files.ReadFile(name)
		if err != nil {
			return nil
		}
		var b bytes.Buffer
		w := gzip.NewWriter(&b)
		_, _ = w.Write(data) // memory takes all
		_ = w.Close()
		return b.Bytes()
	}))
	out := once.(func() []byte)()
	if out == nil {
		kept.Delete(name) // whoever asks for what is not there fills no memory
	}
	return out
}

var imported = regexp.MustCompile(`(?m)^(?:import|export)\b[^;']*'(\.\.?/[^']+\.js)'`)

// modules are the addresses of a module and all that it needs of ours, so that a page asks for them
// at once and not one after the other as it reads them.
var modules = sync.OnceValue(func() []string {
	var out []string
	seen := map[string]bool{}
	var visit func(name string)
	visit = func(name string) {
		if seen[name] {
			return
		}
		seen[name] = true
		data, err := files.ReadFile("static/" + name)
		if err != nil {
			panic(err) // the embedded folder is part of the binary
		}
		out = append(out, assets()+name)
		for _, m := range imported.FindAllSubmatch(data, -1) {
			visit(path.Join(path.Dir(name), string(m[1])))
		}
	}
	visit("js/app.js")
	for _, name := range []string{"three/three.module.js", "three/three.core.js", "three-mesh-bvh/index.module.js", "three/addons/controls/OrbitControls.js"} {
		out = append(out, assets()+"vendor/"+name)
	}
	return out
})

// importMap says where the vendored modules are; it stands in every page, and its
// hash in the content security policy.
var importMap = sync.OnceValue(func() string {
	v := assets() + "vendor/"
	return `{"imports":{"three":"` + v + `three/three.module.js","three/addons/":"` + v + `three/addons/","three-mesh-bvh":"` + v + `three-mesh-bvh/index.module.js"}}`
})

var importMapHash = sync.OnceValue(func() string {
	sum := sha256.Sum256([]byte(importMap()))
	return base64.StdEncoding.EncodeToString(sum[:])
})
