package mapping

import (
	"slices"

	"uchi/internal/core/catalog"
	"uchi/internal/core/value"
)

// What a plan takes along from outside, and plans that do the same beside it.

// NamesFiles reports whether cells name files.
func (p *Plan) NamesFiles() bool {
	return slices.ContainsFunc(p.Drafts, func(d *DraftPlan) bool {
		return slices.ContainsFunc(d.Fields, func(fp FieldPlan) bool { return fp.Field.Type == catalog.File })
	})
}

// Another makes a second plan that does the same, for another goroutine.
func (p *Plan) Another() (*Plan, error) {
	another, err := p.again()
	if err == nil && p.files != nil {
		another.WithFiles(p.files)
	}
	return another, err
}

// WithFiles lets the plan find the files that cells name.
func (p *Plan) WithFiles(f *value.Files) {
	p.files = f
	for _, dp := range p.Drafts {
		for _, fp := range dp.Fields {
			fp.reader.WithFiles(f)
		}
	}
}
