// Package gltf reads and writes glTF 2.0 (ISO/IEC 12113), as .gltf with buffers
// embedded or beside it and as .glb: meshes with their node transforms, skins,
// weights.
package gltf

import (
	"encoding/json"

	"wisemarrow/core/skeleton"
)

// The part of the glTF 2.0 schema that we read and write. Pointers tell a
// missing property from a zero.
type document struct {
	Asset              asset                      `json:"asset"`
	ExtensionsUsed     []string                   `json:"extensionsUsed,omitempty"`
	ExtensionsRequired []string                   `json:"extensionsRequired,omitempty"`
	Scene              *int                       `json:"scene,omitempty"`
	Scenes             []scene                    `json:"scenes,omitempty"`
	Nodes              []node                     `json:"nodes,omitempty"`
	Meshes             []meshes                   `json:"meshes,omitempty"`
	Materials          []json.RawMessage          `json:"materials,omitempty"`
	Textures           []json.RawMessage          `json:"textures,omitempty"`
	Samplers           []json.RawMessage          `json:"samplers,omitempty"`
	Images             []image                    `json:"images,omitempty"`
	Skins              []skin                     `json:"skins,omitempty"`
	Animations         []json.RawMessage          `json:"animations,omitempty"`
	Accessors          []accessor                 `json:"accessors,omitempty"`
	BufferViews        []bufferView               `json:"bufferViews,omitempty"`
	Buffers            []buffer                   `json:"buffers,omitempty"`
	Extensions         map[string]json.RawMessage `json:"extensions,omitempty"`
}

type asset struct {
	Version   string          `json:"version"`
	Generator string          `json:"generator,omitempty"`
	Extras    json.RawMessage `json:"extras,omitempty"`
}

type scene struct {
	Nodes []int `json:"nodes,omitempty"`
}

type node struct {
	Name        string          `json:"name,omitempty"`
	Children    []int           `json:"children,omitempty"`
	Mesh        *int            `json:"mesh,omitempty"`
	Skin        *int            `json:"skin,omitempty"`
	Matrix      *[16]float64    `json:"matrix,omitempty"`
	Translation *[3]float64     `json:"translation,omitempty"`
	Rotation    *[4]float64     `json:"rotation,omitempty"`
	Scale       *[3]float64     `json:"scale,omitempty"`
	Extras      json.RawMessage `json:"extras,omitempty"`
}

// ruled is what a node says of a helper joint: how it turns by itself.
type ruled struct {
	Helper *skeleton.Helper `json:"helper"`
}

type image struct {
	Name string `json:"name,omitempty"`
	URI  string `json:"uri,omitempty"`
	Mime string `json:"mimeType,omitempty"`
	View *int   `json:"bufferView,omitempty"`
}

type meshes struct {
	Name       string          `json:"name,omitempty"`
	Primitives []primitive     `json:"primitives"`
	Weights    []float64       `json:"weights,omitempty"`
	Extras     json.RawMessage `json:"extras,omitempty"`
}

type primitive struct {
	Attributes map[string]int   `json:"attributes"`
	Indices    *int             `json:"indices,omitempty"`
	Material   *int             `json:"material,omitempty"`
	Mode       *int             `json:"mode,omitempty"`
	Targets    []map[string]int `json:"targets,omitempty"`
}

type material struct {
	Name string `json:"name,omitempty"`
	PBR  *pbr   `json:"pbrMetallicRoughness,omitempty"`
}

type pbr struct {
	BaseColour *[4]float32 `json:"baseColorFactor,omitempty"`
	Metallic   *float32    `json:"metallicFactor,omitempty"`
	Roughness  *float32    `json:"roughnessFactor,omitempty"`
}

type skin struct {
	InverseBind *int  `json:"inverseBindMatrices,omitempty"`
	Root        *int  `json:"skeleton,omitempty"`
	Joints      []int `json:"joints"`
}

type accessor struct {
	View       *int      `json:"bufferView,omitempty"`
	Offset     int       `json:"byteOffset,omitempty"`
	Component  int       `json:"componentType"`
	Normalised bool      `json:"normalized,omitempty"`
	Count      int       `json:"count"`
	Type       string    `json:"type"`
	Max        []float64 `json:"max,omitempty"`
	Min        []float64 `json:"min,omitempty"`
	Sparse     *sparse   `json:"sparse,omitempty"`
}

type sparse struct {
	Count   int `json:"count"`
	Indices struct {
		View      int `json:"bufferView"`
		Offset    int `json:"byteOffset"`
		Component int `json:"componentType"`
	} `json:"indices"`
	Values struct {
		View   int `json:"bufferView"`
		Offset int `json:"byteOffset"`
	} `json:"values"`
}

type bufferView struct {
	Buffer int `json:"buffer"`
	Offset int `json:"byteOffset,omitempty"`
	Length int `json:"byteLength"`
	Stride int `json:"byteStride,omitempty"`
	Target int `json:"target,omitempty"`
}

type buffer struct {
	URI    string `json:"uri,omitempty"`
	Length int    `json:"byteLength"`
}

// Component types.
const (
	typeByte   = 5120
	typeUbyte  = 5121
	typeShort  = 5122
	typeUshort = 5123
	typeUint   = 5125
	typeFloat  = 5126
)

func componentSize(t int) int {
	switch t {
	case typeByte, typeUbyte:
		return 1
	case typeShort, typeUshort:
		return 2
	case typeUint, typeFloat:
		return 4
	}
	return 0
}

func typeWidth(t string) int {
	switch t {
	case "SCALAR":
		return 1
	case "VEC2":
		return 2
	case "VEC3":
		return 3
	case "VEC4", "MAT2":
		return 4
	case "MAT3":
		return 9
	case "MAT4":
		return 16
	}
	return 0
}
