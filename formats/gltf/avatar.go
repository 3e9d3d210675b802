package gltf

import (
	"encoding/json"
	"slices"
)

// Avatar is what the open avatar standard says of a humanoid (VRM 1.0, extension VRMC_vrm; from memory of the published
// specification): which joints are its bones, and what who has it may do with it. First person, gaze and expressions are left at
// their defaults.
type Avatar struct {
	Bones map[string]int // humanoid bone → number of the joint
	Meta  AvatarMeta
}

// AvatarMeta is the license of an avatar. Authors is needed; what is left out is the most restrictive that the standard knows.
type AvatarMeta struct {
	Name         string   `json:"name"`
	Version      string   `json:"version,omitempty"`
	Authors      []string `json:"authors"`
	Copyright    string   `json:"copyrightInformation,omitempty"`
	Contact      string   `json:"contactInformation,omitempty"`
	References   []string `json:"references,omitempty"`
	License      string   `json:"licenseUrl"`
	Permission   string   `json:"avatarPermission,omitempty"` // onlyAuthor, onlySeparatelyLicensedPerson, everyone
	Violent      bool     `json:"allowExcessivelyViolentUsage,omitempty"`
	Sexual       bool     `json:"allowExcessivelySexualUsage,omitempty"`
	Commercial   string   `json:"commercialUsage,omitempty"` // personalNonProfit, personalProfit, corporation
	Political    bool     `json:"allowPoliticalOrReligiousUsage,omitempty"`
	Hateful      bool     `json:"allowAntisocialOrHateUsage,omitempty"`
	Credit       string   `json:"creditNotation,omitempty"` // required, unnecessary
	Redistribute bool     `json:"allowRedistribution,omitempty"`
	Modification string   `json:"modification,omitempty"` // prohibited, allowModification, allowModificationRedistribution
	OtherLicense string   `json:"otherLicenseUrl,omitempty"`
}

// avatarLicense is the license that files of the standard are under, beside what they allow.
const avatarLicense = "https://vrm.dev/licenses/1.0/"

// AvatarNeeds are the humanoid bones that an avatar must have, and AvatarUnder those without which another is not allowed.
var (
	AvatarNeeds = []string{
		"hips", "spine", "head", "leftUpperLeg", "leftLowerLeg", "leftFoot", "rightUpperLeg", "rightLowerLeg", "rightFoot",
		"leftUpperArm", "leftLowerArm", "leftHand", "rightUpperArm", "rightLowerArm", "rightHand",
	}
	avatarUnder = map[string]string{"upperChest": "chest", "leftToes": "leftFoot", "rightToes": "rightFoot"}
)

// Lacks are the bones that an avatar must have and has not, in the order of the standard.
func (a *Avatar) Lacks() (out []string) {
	for _, b := range AvatarNeeds {
		if _, ok := a.Bones[b]; !ok {
			out = append(out, b)
		}
	}
	return out
}

// avatar adds the extension.
func (e *encoder) avatar(a *Avatar) {
	type bone struct {
		Node int `json:"node"`
	}
	bones := map[string]bone{}
	for name, i := range a.Bones {
		if under, ok := avatarUnder[name]; ok {
			if _, there := a.Bones[under]; !there {
				continue
			}
		}
		bones[name] = bone{i} // joints are the first nodes
	}
	meta := a.Meta
	if meta.License == "" {
		meta.License = avatarLicense
	}
	raw, err := json.Marshal(map[string]any{
		"specVersion": "1.0", "meta": meta, "humanoid": map[string]any{"humanBones": bones},
	})
	if err != nil {
		return // texts and numbers can be written
	}
	const name = "VRMC_vrm"
	if !slices.Contains(e.doc.ExtensionsUsed, name) {
		e.doc.ExtensionsUsed = append(e.doc.ExtensionsUsed, name)
	}
	e.doc.Extensions = map[string]json.RawMessage{name: raw}
}
