package work

import (
	"context"
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/mapping"
	"uchi/internal/core/sheet"
	"uchi/internal/core/suggest"
	"uchi/internal/store"
)

// errKept refuses to show, or to change unseen, what is kept from a person.
func errKept(labels []string) *fault.Error {
	return fault.New(fault.Denied, "field_kept", "this holds what you may not see").With(strings.Join(labels, ", ")).
		Mended("Ask somebody who may see it: an administrator limits fields by role.")
}

// MustSee refuses what would show columns of an import that are kept.
func MustSee(i store.Import) error {
	if i.Veil.Covers() {
		return errKept(i.Veil.Fields)
	}
	return nil
}

// mustSeeColumn refuses what would show a column, counted from 0, if it is kept.
func mustSeeColumn(i store.Import, n int) error {
	if i.Veil.KeepsColumn(n) {
		return errKept(i.Veil.Fields)
	}
	return nil
}

func errLimited(labels []string) *fault.Error {
	return fault.New(fault.Denied, "field_limited",
		"you may not fill all of these fields").With(strings.Join(labels, ", ")).
		Mended("Take their columns out, or hand the import over to somebody who may fill them.")
}

// mayWrite refuses a person who may not write what an import writes.
func (s *Service) mayWrite(ctx context.Context, i store.Import, by store.Person) error {
	if i.Routine.V == nil {
		return nil
	}
	c, err := s.store.Catalog(store.Whole(ctx), i.Workspace)
	if err != nil {
		return err
	}
	if list := i.Routine.V.Unfillable(c, by.Role); len(list) > 0 {
		return errLimited(list)
	}
	return nil
}

// mayWriteAll is mayWrite for the members of a bundle.
func (s *Service) mayWriteAll(ctx context.Context, v BundleView, by store.Person) error {
	for _, m := range v.Members {
		if err := s.mayWrite(ctx, m.Import, by); err != nil {
			return err
		}
	}
	return nil
}

// mayChange refuses a routine that would let a person see, fill or lose what they may
// not; what was there before may stay.
func mayChange(i store.Import, r mapping.Routine, c catalog.Catalog, by store.Person) error {
	var before mapping.Routine
	if i.Routine.V != nil {
		before = *i.Routine.V
	}
	if i.Veil.Unveils(before, r, i.Headers()) {
		return errKept(i.Veil.Fields)
	}
	was := before.Unfillable(c, by.Role)
	var more []string
	for _, label := range r.Unfillable(c, by.Role) {
		if !slices.Contains(was, label) {
			more = append(more, label)
		}
	}
	if len(more) > 0 {
		return errLimited(more)
	}
	return nil
}

// notToFill says of columns that belong to a field which a person may not fill, that they
// stay out.
func notToFill(columns []suggest.Suggestion, targets []suggest.Target, by store.Person) {
	for n, s := range columns {
		for _, t := range targets {
			if f, ok := t.Type.Field(s.Field); ok && t.Draft == s.Draft && f.Limited() && !f.Fills(by.Role) {
				columns[n].Taken = false
				columns[n].Reason = "you may not fill " + f.Label + "; " + s.Reason
			}
		}
	}
}

// mayMap says why an import cannot have a routine: what its rows become stays once some were loaded.
func mayMap(i store.Import, r mapping.Routine) error {
	if i.Written && i.Routine.V != nil && !r.SameDrafts(*i.Routine.V) {
		return fault.New(fault.Conflict, "types_stay", "rows of the import were loaded, so the record types that "+
			"its rows become stay").At(fault.Place{Path: "drafts"}).
			Mended("Upload the file again to load it into other record types.")
	}
	if i.Written && i.Routine.V != nil && i.Routine.V.Held == mapping.HeldRecord && r.Held != mapping.HeldRecord {
		return fault.New(fault.Conflict, "held_stays", "rows of the import were loaded with their records held "+
			"apart, so they stay so").At(fault.Place{Path: "held"}).
			Mended("Take the loads back, or upload the file again to hold rows as a whole.")
	}
	return nil
}

// mayRead says why an import cannot be read otherwise: its rows stay once some were loaded.
func mayRead(i store.Import, r sheet.Reading) error {
	if part, same := r.SameRows(i.Reading.V); i.Written && !same {
		return fault.New(fault.Conflict, "rows_stay", "rows of the import were loaded, so which rows it has "+
			"can no longer change").At(fault.Place{Path: part}).
			Mended("Encoding, decimal sign, date order, country and time zone can; for other rows, upload the file again.")
	}
	return nil
}
