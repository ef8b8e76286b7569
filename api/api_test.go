package api_test

import (
	"encoding/json"
	"errors"
	"reflect"
	"slices"
	"strings"
	"testing"

	"uchi/api"
	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
	"uchi/internal/core/sheet"
	"uchi/internal/core/suggest"
	"uchi/internal/core/value"
	"uchi/internal/core/verdict"

	"gopkg.in/yaml.v3"
)

// names lists the members that a value has in JSON and, where it has them, in YAML.
func names(t *testing.T, v any) []string {
	t.Helper()
	var list []string
	rt := reflect.TypeOf(v)
	for i := range rt.NumField() {
		f := rt.Field(i)
		name, _, _ := strings.Cut(f.Tag.Get("json"), ",")
		if y, _, _ := strings.Cut(f.Tag.Get("yaml"), ","); y != "" && y != name {
			t.Errorf("%s.%s is %s in JSON and %s in YAML", rt, f.Name, name, y)
		}
		list = append(list, name)
	}
	slices.Sort(list)
	return list
}

type schema struct {
	Properties map[string]schema `json:"properties"`
	Items      *schema           `json:"items"`
	Defs       map[string]schema `json:"$defs"`
}

func (s schema) names() []string {
	var list []string
	for n := range s.Properties {
		list = append(list, n)
	}
	slices.Sort(list)
	return list
}

// The published schema of the routine names what a routine has, no more and no less.
func TestRoutineSchema(t *testing.T) {
	var s schema
	if err := json.Unmarshal(api.RoutineSchema, &s); err != nil {
		t.Fatal(err)
	}
	draft := s.Properties["drafts"].Items
	origin := s.Defs["origin"]
	for what, pair := range map[string][2][]string{
		"routine": {s.names(), names(t, mapping.Routine{})},
		"reading": {s.Properties["reading"].names(), names(t, sheet.Reading{})},
		"draft":   {draft.names(), names(t, mapping.Draft{})},
		"origin":  {origin.names(), names(t, mapping.Origin{})},
		"match":   {draft.Properties["match"].Items.names(), names(t, catalog.MatchRule{})},
	} {
		if !slices.Equal(pair[0], pair[1]) {
			t.Errorf("%s: the schema has %v, the document %v", what, pair[0], pair[1])
		}
	}
}

// What a part of an origin may be is the same in the schema, the contract and the core.
func TestOriginsChoices(t *testing.T) {
	type choices struct {
		Enum []string `json:"enum" yaml:"enum"`
	}
	var published struct {
		Defs map[string]struct {
			Properties map[string]choices `json:"properties"`
		} `json:"$defs"`
	}
	var contract struct {
		Components struct {
			Schemas map[string]struct {
				Properties map[string]choices `yaml:"properties"`
			} `yaml:"schemas"`
		} `yaml:"components"`
	}
	if err := errors.Join(json.Unmarshal(api.RoutineSchema, &published),
		yaml.Unmarshal(api.OpenAPI, &contract)); err != nil {
		t.Fatal(err)
	}
	for what, want := range map[string][]string{"take": texts(mapping.Takes), "percents": texts(value.WaysOfPercents),
		"date_order": texts(value.DateOrders)} {
		for where, got := range map[string][]string{
			"schema":   published.Defs["origin"].Properties[what].Enum,
			"contract": contract.Components.Schemas["Origin"].Properties[what].Enum,
		} {
			if !slices.Equal(got, want) {
				t.Errorf("%s in the %s: %q, want %q", what, where, got, want)
			}
		}
	}
}

func texts[T ~string](list []T) (out []string) {
	for _, x := range list {
		out = append(out, string(x))
	}
	return out
}

// Values of the core that stand for schemas of the contract have their members.
func TestContractFitsTheCore(t *testing.T) {
	var doc struct {
		Components struct {
			Schemas map[string]struct {
				Properties map[string]any `yaml:"properties"`
			} `yaml:"schemas"`
		} `yaml:"components"`
	}
	if err := yaml.Unmarshal(api.OpenAPI, &doc); err != nil {
		t.Fatal(err)
	}
	for name, v := range map[string]any{"Reading": sheet.Reading{}, "Finding": sheet.Finding{},
		"Notice": sheet.Notice{}, "Column": sheet.Column{}, "Origin": mapping.Origin{}, "Draft": mapping.Draft{},
		"Routine": mapping.Routine{}, "Field": catalog.Field{}, "RecordType": catalog.RecordType{},
		"Choice":     catalog.Choice{},
		"Suggestion": suggest.Suggestion{}, "DraftSuggestion": suggest.DraftSuggestion{},
		"DraftCount": verdict.DraftCount{}} {
		var in []string
		for n := range doc.Components.Schemas[name].Properties {
			in = append(in, n)
		}
		slices.Sort(in)
		var have []string
		rt := reflect.TypeOf(v)
		for i := range rt.NumField() {
			if n, _, _ := strings.Cut(rt.Field(i).Tag.Get("json"), ","); n != "-" && rt.Field(i).IsExported() {
				have = append(have, n)
			}
		}
		slices.Sort(have)
		if !slices.Equal(in, have) {
			t.Errorf("%s: the contract has %v, the core %v", name, in, have)
		}
	}
}
