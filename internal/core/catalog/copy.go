package catalog

import (
	"maps"
	"slices"
)

// Copy gives a record type that shares nothing with the first, so that either may be changed.
func (t RecordType) Copy() RecordType {
	t.Synonyms, t.Title, t.Changed, t.Kept = slices.Clone(t.Synonyms), slices.Clone(t.Title), slices.Clone(t.Changed),
		slices.Clone(t.Kept)
	t.Fields, t.Match, t.Rules, t.Known = slices.Clone(t.Fields), slices.Clone(t.Match), slices.Clone(t.Rules),
		slices.Clone(t.Known)
	for i := range t.Fields {
		f := &t.Fields[i]
		f.Choices, f.Synonyms, f.Was, f.Changed = slices.Clone(f.Choices), slices.Clone(f.Synonyms), slices.Clone(f.Was),
			slices.Clone(f.Changed)
		for n := range f.Choices {
			f.Choices[n].Other = slices.Clone(f.Choices[n].Other)
		}
	}
	for i := range t.Match {
		t.Match[i].Fields, t.Match[i].Alike = slices.Clone(t.Match[i].Fields), slices.Clone(t.Match[i].Alike)
	}
	for i := range t.Known {
		t.Known[i].Fields = maps.Clone(t.Known[i].Fields)
	}
	if t.Timeline != nil {
		line := *t.Timeline
		t.Timeline = &line
	}
	return t
}
