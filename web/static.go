package web

import (
	"crypto/sha256"
	"embed"
	"encoding/base64"
	"encoding/hex"
	"io/fs"
	"net/http"
	"strings"
	"sync"
)

//go:embed static templates
var files embed.FS

// assets is the address of everything static. It has a hash of all of it within, so
// that browsers may keep it for good and a new program brings new addresses.
var assets = sync.OnceValue(func() string {
	h := sha256.New()
	err := fs.WalkDir(files, "static", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		data, err := files.ReadFile(path)
		_, _ = h.Write([]byte(path + "\n")) // a hash takes all that is written
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
			http.Error(w, "There is no such file. The page may be of an earlier version: reload it.", http.StatusNotFound)
			return
		}
		w.Header().Set("Cache-Control", "public, max-age=31536000, immutable")
		if strings.HasSuffix(r.URL.Path, ".wasm") {
			w.Header().Set("Content-Type", "application/wasm")
		}
		serve.ServeHTTP(w, r)
	})
}

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
