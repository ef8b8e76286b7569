package catalog

import (
	"slices"

	"uchi/internal/core/fault"
	"uchi/internal/core/rights"
)

// Masked stands in the place of a text that is kept from who looks.
const Masked = "•••"

// Sees reports whether a role may see what stands in the field.
func (f Field) Sees(r rights.Role) bool { return f.SeenBy == "" || r.Covers(f.SeenBy) }

// Fills reports whether a role may fill and change the field: never one that it may
// not see, since it would learn of a value by what becomes of its own.
func (f Field) Fills(r rights.Role) bool {
	return r.Covers(rights.Operator) && f.Sees(r) && (f.FilledBy == "" || r.Covers(f.FilledBy))
}

// Limited reports whether not everybody may see and every operator fill the field.
func (f Field) Limited() bool { return f.SeenBy != "" || f.FilledBy != "" }

// checkLimits says whether a field may be limited so.
func (t RecordType) checkLimits(f Field) error {
	bad := func(code, message, value, mend string) error {
		return fault.New(fault.Invalid, code, message).At(fault.Place{Path: t.Name + "." + f.Name}).With(value).Mended(mend)
	}
	for _, r := range []rights.Role{f.SeenBy, f.FilledBy} {
		if r != "" && !r.Valid() {
			return bad("unknown_role", "there is no such role", string(r), "Roles: viewer, operator, administrator.")
		}
	}
	if f.SeenBy != "" && slices.Contains(t.Title, f.Name) {
		return bad("title_field", "the field names the records, so everybody sees it", f.Name,
			"Let another field name them first.")
	}
	return nil
}

// seenBy gives the record type as a role sees it: without the fields that are kept
// from it, whose names, also those of before, are in Kept.
func (t RecordType) seenBy(r rights.Role) RecordType {
	fields := make([]Field, 0, len(t.Fields))
	for _, f := range t.Fields {
		if f.Sees(r) {
			fields = append(fields, f)
			continue
		}
		t.Kept = append(append(slices.Clone(t.Kept), f.Name), f.Was...)
	}
	t.Fields = fields
	return t
}

// SeenBy gives the catalogue as a role sees it: what reads or lists records by it
// cannot name what is kept from the role.
func (c Catalog) SeenBy(r rights.Role) Catalog {
	out := Catalog{Nothing: c.Nothing, Types: make([]RecordType, len(c.Types))}
	for i, t := range c.Types {
		out.Types[i] = t.seenBy(r)
	}
	return out
}
