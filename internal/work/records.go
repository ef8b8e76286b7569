package work

import (
	"context"
	"fmt"
	"maps"
	"strconv"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/expr"
	"uchi/internal/core/fault"
	"uchi/internal/core/problem"
	"uchi/internal/core/value"
	"uchi/internal/store"
)

// ChangeRecord changes values of one record, given as people write them, by field;
// an empty text blanks the value. The version is that which the change was made
// on: when somebody else was faster it is refused. Version 0 changes whatever is
// there.
func (s *Service) ChangeRecord(ctx context.Context, workspace, typeName, id string, version int,
	texts map[string]string, by store.Person) (store.Record, error) {
	r, err := s.store.Record(store.Whole(ctx), workspace, typeName, id)
	if err != nil {
		return r, err
	}
	if err := store.OnVersion(version, r.Version, id); err != nil {
		return r, err
	}
	c, err := s.store.Catalog(store.Whole(ctx), workspace)
	if err != nil {
		return r, err
	}
	values, after := map[string]string{}, maps.Clone(r.Values)
	for name, text := range texts {
		f, ok := r.Type.Field(name)
		if ok && f.Limited() && !f.Fills(by.Role) {
			return r, errLimited([]string{f.Label}).At(fault.Place{Path: name}).Mended("Ask somebody who may fill it: an " +
				"administrator limits fields by role.")
		}
		if !ok || f.Retired {
			return r, fault.New(fault.Invalid, "unknown_field", "the record type "+typeName+
				" has no such field").At(fault.Place{Path: name}).With(name)
		}
		if values[name], after[name], err = s.readValue(ctx, workspace, c, f, text, after["country"]); err != nil {
			return r, err
		}
		if f.Required && after[name] == "" {
			return r, fault.New(fault.Invalid, "required_missing", f.Label+" must have a value").At(fault.Place{Path: name})
		}
	}
	rules, err := expr.CompileRules(r.Type)
	if err != nil {
		return r, err
	}
	if broken := rules.Judge(after); len(broken) > 0 {
		return r, fault.New(fault.Invalid, string(broken[0].Code), broken[0].Message()).At(fault.Place{Path: broken[0].Field})
	}
	err = s.store.ChangeRecord(ctx, workspace, c, store.RecordChange{Record: r, Values: values, Version: version, By: by})
	if err != nil {
		return r, err
	}
	return s.store.Record(ctx, workspace, typeName, id)
}

// readValue reads a value that a person has typed: as it is kept, and as the
// record shows it. Dates are written as 2026-03-31, decimals with a point.
func (s *Service) readValue(ctx context.Context, workspace string, c catalog.Catalog, f catalog.Field, text,
	country string) (kept, shown string, err error) {
	text = value.Trim(text)
	if text == "" {
		return "", "", nil
	}
	if f.Kind().Form != catalog.LinkForm {
		v, trouble := value.NewReader(f, value.Settings{DecimalSign: ".", DateOrder: value.YearFirst}).ReadIn(text, country)
		if trouble.Code == "" {
			return v, v, nil
		}
		p := problem.Problem{Code: trouble.Code, Detail: trouble.Detail, Value: text}
		return "", "", fault.New(fault.Invalid, string(p.Code),
			f.Label+": "+p.Message()).At(fault.Place{Path: f.Name}).With(text).Mended(p.Mend())
	}
	target, err := c.MustType(f.To)
	if err != nil {
		return "", "", err
	}
	found, err := s.room.LinksOf(ctx, workspace, target, []string{text})
	if err != nil {
		return "", "", err
	}
	l, ok := found[text]
	if !ok {
		return "", "", fault.New(fault.Invalid, "link_not_found", fmt.Sprintf("%s: no %s has this id, key or name",
			f.Label, strings.ToLower(target.Label))).At(fault.Place{Path: f.Name}).With(text).
			Mended("Write an id, a key, or the whole name of one record.")
	}
	id, err := target.ParseRecordID(l.ID)
	return strconv.FormatInt(id, 10), l.ID, err
}

// AddNote notes something about a record.
func (s *Service) AddNote(ctx context.Context, workspace, typeName, id, text string, by store.Person) error {
	r, err := s.store.Record(ctx, workspace, typeName, id)
	if err != nil {
		return err
	}
	return s.store.AddNote(ctx, workspace, r, text, by)
}
