package studio

import (
	"encoding/json"
	"fmt"
	"reflect"

	"wisemarrow/core/finding"
)

// Offer returns an operation as a remedy of a finding. The operation is one of the registry,
// by its type; it starts from the entry's defaults where these are not zero.
func Offer(label string, op Operation) finding.Remedy {
	name, ok := nameOf[reflect.TypeOf(op)]
	if !ok {
		panic(fmt.Sprintf("no operation of the registry is a %T", op))
	}
	return remedy(label, name, op)
}

// Only is Offer as the one remedy of a finding.
func Only(label string, op Operation) []finding.Remedy {
	return []finding.Remedy{Offer(label, op)}
}

// OfferOf returns an operation of another stage as a remedy, by its name, since stages do not
// import each other. params are those that are not the entry's defaults; nil are none.
func OfferOf(label, name string, params map[string]any) finding.Remedy {
	if params == nil {
		params = map[string]any{}
	}
	return remedy(label, name, params)
}

func remedy(label, name string, params any) finding.Remedy {
	data, err := json.Marshal(params)
	if err != nil {
		panic(fmt.Sprintf("%s: %v", name, err)) // a number that is none: what measured it is wrong
	}
	return finding.Remedy{Label: label, Op: name, Params: data}
}

// Remedied adds to each finding what offers returns for it, before what it has.
func Remedied(list []finding.Finding, offers func(f finding.Finding) []finding.Remedy) []finding.Finding {
	for i, f := range list {
		list[i].Remedies = append(offers(f), f.Remedies...)
	}
	return list
}
