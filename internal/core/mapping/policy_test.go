package mapping

import (
	"fmt"
	"strings"
	"testing"

	"uchi/internal/core/fault"
)

// Policies that cannot be followed are refused, with the place in the routine.
func TestPoliciesThatCannotBeFollowed(t *testing.T) {
	headers := []string{"Name", "Mail", "Street", "Note", "Changed", "Deal", "Item", "Pieces"}
	contact := func() Draft {
		return Draft{Type: "contact", Fields: map[string]Origin{"family_name": from("Name"), "email": from("Mail"),
			"street": from("Street"), "description": from("Note"), "source_ref": from("Mail")}}
	}
	at := func(field string, o Origin) func(d *Draft) {
		return func(d *Draft) { o.From = d.Fields[field].From; d.Fields[field] = o }
	}
	for _, x := range []struct {
		change     func(d *Draft)
		code, path string
	}{
		{func(*Draft) {}, "", ""},
		{func(d *Draft) { d.Both = "burn" }, "unknown_policy", "both"},
		{func(d *Draft) { d.Blank = "burn" }, "unknown_policy", "blank"},
		{func(d *Draft) { d.Unreadable = "burn" }, "unknown_policy", "unreadable"},
		{func(d *Draft) { d.Doubtful = "burn" }, "unknown_policy", "doubtful"},
		{func(d *Draft) { d.Repeats = "burn" }, "unknown_policy", "repeats"},
		{func(d *Draft) { d.Gone = "burn" }, "unknown_policy", "gone"},
		{func(d *Draft) { d.Gone = RemoveGone }, "nothing_gone", "gone"},
		{func(d *Draft) { d.ClearMarker = "  " }, "blank_marker", "clear_marker"},
		{func(d *Draft) { d.ClearMarker = "(none)" }, "", ""},
		{func(d *Draft) { d.Unreadable = CreateMissing }, "cannot_create", "unreadable"},
		{func(d *Draft) { d.Both = Add }, "cannot_add", "both"},
		{func(d *Draft) { d.NewerBy = "When" }, "unknown_column", "newer_by"},
		{func(d *Draft) { d.Both, d.NewerBy = Newer, "Changed" }, "", ""},
		{func(d *Draft) { d.Both = Newer }, "newer_by_missing", "fields."},
		{at("street", Origin{Both: "burn"}), "unknown_policy", "fields.street"},
		{at("street", Origin{Blank: "burn"}), "unknown_policy", "fields.street"},
		{at("street", Origin{Unreadable: "burn"}), "unknown_policy", "fields.street"},
		{at("street", Origin{Doubtful: "burn"}), "unknown_policy", "fields.street"},
		{at("street", Origin{Unreadable: LeaveValue, Blank: Clear, Both: Keep}), "", ""},
		{at("family_name", Origin{Unreadable: LeaveValue}), "must_be_read", "fields.family_name"},
		{at("source_ref", Origin{Unreadable: LeaveValue}), "must_be_read", "fields.source_ref"},
		{at("family_name", Origin{Blank: Clear}), "required_cleared", "fields.family_name"},
		{at("source_ref", Origin{Both: Add}), "cannot_add", "fields.source_ref"},
		{at("description", Origin{Both: Add}), "", ""},
	} {
		d := contact()
		x.change(&d)
		err := Routine{May: CreateOrUpdate, Drafts: []Draft{d}}.Check(standard(t), headers)
		f, _ := fault.From(err)
		switch {
		case x.code == "" && err != nil:
			t.Errorf("%+v: %v", d, err)
		case x.code != "" && (!fault.Is(err, x.code) || !strings.HasPrefix(f.Place.Path, "drafts[0]."+x.path)):
			t.Errorf("%s at %s: got %v", x.code, x.path, err)
		}
	}
	// children that are gone: only where the rows say whose they are
	line := Draft{Type: "line", Gone: RemoveGone, Fields: map[string]Origin{"product": from("Item"), "quantity": from("Pieces")}}
	if err := (Routine{May: CreateOrUpdate, Drafts: []Draft{line}}).Check(standard(t), headers); !fault.Is(err, "nothing_gone") {
		t.Errorf("of lines of nobody knows which deal: %v", err)
	}
	line.Fields["opportunity"] = from("Deal")
	if err := (Routine{May: CreateOrUpdate, Drafts: []Draft{line}}).Check(standard(t), headers); err != nil {
		t.Errorf("of lines of deals: %v", err)
	}
}

// A source that is read in another encoding has the columns that it had, by what they have in common; of another
// sheet a column in the same place is another.
func TestMovedColumns(t *testing.T) {
	r := routine("contact", map[string]Origin{"family_name": from("Name"), "locality": from("Fødested", "By")})
	r.Drafts[0].NewerBy = "Født"
	before := []string{"Name", "Fødested", "By", "Født"}
	for _, x := range []struct {
		now             []string
		locality, newer string
	}{
		{[]string{"Name", "F¿dested", "By", "F¿dt"}, "[F¿dested By]", "F¿dt"},
		{[]string{"Name", "Street", "Town", "Changed"}, "[Fødested By]", "Født"},
		{[]string{"F¿dested", "Name"}, "[Fødested By]", "Født"}, // not as many
	} {
		got := r.Moved(before, x.now)
		if from := fmt.Sprint(got.Drafts[0].Fields["locality"].From); from != x.locality || got.Drafts[0].NewerBy != x.newer {
			t.Errorf("%v: from %s, newer by %s", x.now, from, got.Drafts[0].NewerBy)
		}
	}
	if r.Drafts[0].Fields["locality"].From[0] != "Fødested" {
		t.Error("the routine itself has changed")
	}
}

// A routine learns the words that it did not know from another that was made of it, as long as they are of the same
// column of the same draft.
func TestTaught(t *testing.T) {
	with := func(column string, values map[string]string) Origin {
		return Origin{From: []string{column}, Values: values}
	}
	old := routine("contact", map[string]Origin{"country": with("Land", map[string]string{"UK": "GB"}), "language": with("Sprog", nil)})
	taught := routine("contact", map[string]Origin{
		"country":  with("Land", map[string]string{"UK": "IE", "DK": "DK"}),
		"language": with("Other", map[string]string{"dansk": "da"}), "locality": with("By", map[string]string{"x": "y"})})
	out, changed := old.Taught(taught)
	fields := out.Drafts[0].Fields
	if got := fmt.Sprint(fields["country"].Values, fields["language"].Values, len(fields)); got != "map[DK:DK UK:GB] map[] 2" || !changed {
		t.Errorf("it knows %s, changed %t", got, changed)
	}
	if len(old.Drafts[0].Fields["country"].Values) != 1 {
		t.Error("the routine itself has changed")
	}
	if _, changed = out.Taught(taught); changed {
		t.Error("it learns the same twice")
	}
	other := taught
	other.Drafts = []Draft{{Name: "person", Type: "contact", Fields: taught.Drafts[0].Fields}}
	if _, changed = old.Taught(other); changed {
		t.Error("it learns from another draft")
	}
}

// A routine goes on under the names that its fields have now.
func TestRoutineOfRenamedFields(t *testing.T) {
	c := standard(t)
	r := routine("contact", map[string]Origin{"family_name": from("Name")})
	r.Drafts[0].Match = append(r.Drafts[0].Match, c.Types[0].Match...)
	if got := r.Renamed(c); fmt.Sprint(got.Drafts[0].Fields) != fmt.Sprint(r.Drafts[0].Fields) {
		t.Errorf("%v", got.Drafts[0].Fields)
	}
	for n := range c.Types {
		if c.Types[n].Name != "contact" {
			continue
		}
		for i := range c.Types[n].Fields {
			if f := &c.Types[n].Fields[i]; f.Name == "family_name" {
				f.Name, f.Was = "surname", []string{"family_name"}
			}
		}
	}
	r.Drafts[0].Match[0].Fields = []string{"family_name"}
	got := r.Renamed(c).Drafts[0]
	if _, there := got.Fields["surname"]; !there || len(got.Fields) != 1 || got.Match[0].Fields[0] != "surname" {
		t.Errorf("%v, found by %v", got.Fields, got.Match[0].Fields)
	}
}
