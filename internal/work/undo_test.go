package work

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/life"
	"uchi/internal/core/mapping"
	"uchi/internal/core/verdict"
	"uchi/internal/schema"
	"uchi/internal/staging"
	"uchi/internal/store"
)

// undo takes back what an import has loaded.
func (b *bench) undo(i store.Import, req UndoRequest) store.Import {
	b.Helper()
	b.ok(b.work.Undo(b.Context(), i, req, b.person))
	i = b.wait(i.ID)
	if i.Trouble.V != nil {
		b.Fatalf("undo: %+v", i.Trouble.V)
	}
	b.agree(i)
	return i
}

// planned words what an undo would do.
func (b *bench) planned(i store.Import, req UndoRequest) string {
	b.Helper()
	plan, err := b.work.PlanUndo(b.Context(), i, req, 50, b.person)
	b.ok(err)
	c := b.catalog()
	var parts []string
	for _, x := range plan.Counts {
		t, _ := c.Type(x.Type)
		parts = append(parts, verdict.UndoSays(x.Act, t.Label, t.Plural, x.Why, x.Records, x.Values))
	}
	return strings.Join(parts, "; ")
}

// outcomes are those of the rows of an import, without zeros.
func (b *bench) outcomes(i store.Import) map[verdict.Outcome]int64 {
	out := maps.Clone(i.Outcomes.V)
	maps.DeleteFunc(out, func(_ verdict.Outcome, n int64) bool { return n == 0 })
	return out
}

// records writes all records of some types with their values, keys and titles,
// without what counts changes.
func (b *bench) records(types ...string) string {
	b.Helper()
	c := b.catalog()
	var out []string
	for _, name := range types {
		t, _ := c.Type(name)
		var values []schema.Becomes
		for _, f := range t.Fields {
			is := schema.Becomes{Field: f.Name, Is: schema.Column(f, "r") + ` is not null`,
				Was: schema.Shown(c, f, schema.Column(f, "r")), Now: `null`}
			if f.Normalised() {
				is.Now = `r.` + schema.Key(f.Name)
			}
			values = append(values, is)
		}
		rows, err := b.store.Pool().Query(b.Context(), `select r.id, r.import, r.`+schema.Title+`, `+schema.Changes(values)+
			`::text from `+schema.Records("main", name)+` r order by r.id`)
		b.ok(err)
		for rows.Next() {
			var id int64
			var from *int64
			var title, values string
			b.ok(rows.Scan(&id, &from, &title, &values))
			out = append(out, fmt.Sprint(name, " ", id, " ", from0(from), " ", title, " ", values))
		}
		b.ok(rows.Err())
	}
	return strings.Join(out, "\n")
}

func from0(p *int64) int64 {
	if p == nil {
		return 0
	}
	return *p
}

// dangling counts links that lead to records which are not there.
func (b *bench) dangling() int {
	b.Helper()
	c := b.catalog()
	var all int
	for _, t := range c.Types {
		for _, p := range c.PointingTo(t.Name) {
			var n int
			link := schema.Column(p.Field, "x")
			b.ok(b.store.Pool().QueryRow(b.Context(), `select count(*) from `+schema.Records("main", p.Type.Name)+` x where `+
				link+` is not null and not exists (select from `+schema.Records("main", t.Name)+` r where r.id = `+link+
				`)`).Scan(&n))
			all += n
		}
	}
	return all
}

const employed = "Ref,Given name,Family name,E-mail,Company\nK-1,Ada,Berg,ada@x.example,Fjordline Hotels AS\n" +
	"K-2,Bo,Li,bo@x.example,Fjordline Hotels AS\nK-3,Cy,Moe,cy@x.example,Anchorby Marina\n"

// What was made goes, with what it points to, and the undo can be taken back.
func TestUndoWhatWasMade(t *testing.T) {
	b := start(t)
	b.loaded("account", "Name,City\nQuay House,Bergen\n")
	before := b.records("account", "contact")
	i := b.load(b.check(b.drafted(employed, "contact", "account")))
	after := b.records("account", "contact")
	b.want(i.Outcomes.V["created"], int64(3))
	b.want(b.planned(i, UndoRequest{}), "2 accounts go; 3 contacts go")
	b.want(b.records("account", "contact"), after) // a plan changes nothing
	i = b.undo(i, UndoRequest{})
	b.want(i.State, life.Undone)
	b.want(b.outcomes(i), map[verdict.Outcome]int64{"undone": 3})
	b.want(b.records("account", "contact"), before)
	runs, err := b.store.Runs(b.Context(), i.ID)
	b.ok(err)
	b.want(fmt.Sprint(runs[0].Work, runs[0].Ended, runs[0].Undoes.V), fmt.Sprint(life.UndoingRun, "was_undone",
		[]int64{runs[1].ID}))
	// The undo is taken back: the same records with the same ids, and then again.
	i = b.undo(i, UndoRequest{Run: runs[0].ID})
	b.want(i.State, life.Loaded)
	b.want(b.records("account", "contact"), after)
	b.want(b.outcomes(i), map[verdict.Outcome]int64{"created": 3})
	runs, err = b.store.Runs(b.Context(), i.ID)
	b.ok(err)
	i = b.undo(i, UndoRequest{Run: runs[0].ID})
	b.want(b.records("account", "contact"), before)
	// Undone rows are open: they are checked and loaded as if for the first time.
	i = b.check(i)
	b.want(i.Totals.V.Verdicts, map[string]int64{"create": 3})
	i = b.load(i)
	b.want(b.outcomes(i), map[verdict.Outcome]int64{"created": 3})
	b.want(b.dangling(), 0)
}

// Values return unless somebody else has changed them since: value by value.
func TestUndoWhatWasChanged(t *testing.T) {
	b := start(t)
	b.loaded("contact", "Ref,Given name,Family name,E-mail,Post\nK-1,Ada,Berg,ada@x.example,Clerk\n"+
		"K-2,Bo,Li,bo@x.example,Clerk\nK-3,Cy,Moe,,\n")
	before := b.records("contact")
	i := b.change(b.upload("contact", "Ref,Given name,Family name,E-mail,Post\nK-1,Ada,Bergh,ada@y.example,Head\n"+
		"K-2,Bo,Li,bo@x.example,Head\nK-3,Cy,Moe,cy@x.example,\n"), func(r *mapping.Routine) {
		r.Drafts[0].Match = []catalog.MatchRule{{Fields: []string{"source_ref"}}}
	})
	i = b.load(b.check(i))
	b.want(i.Outcomes.V["updated"], int64(3))
	b.want(b.planned(i, UndoRequest{}), "5 values of 3 contacts return")
	changed, err := b.work.ChangeRecord(b.Context(), "main", "contact", "CON-1", 0,
		map[string]string{"job_title": "Skipper"}, b.person)
	b.ok(err)
	b.want(changed.Values["job_title"], "Skipper")
	b.want(b.planned(i, UndoRequest{}),
		"4 values of 3 contacts return; 1 value of 1 contact stays: changed by somebody else since")
	i = b.undo(i, UndoRequest{})
	b.want(b.record("contact", "CON-1").Values["job_title"], "Skipper")
	b.want(b.record("contact", "CON-1").Values["family_name"], "Berg")
	_, err = b.work.ChangeRecord(b.Context(), "main", "contact", "CON-1", 0,
		map[string]string{"job_title": "Clerk"}, b.person)
	b.ok(err)
	b.want(b.records("contact"), before)
	// A change on an older version is refused, and so is a value that cannot be read.
	if _, err := b.work.ChangeRecord(b.Context(), "main", "contact", "CON-1", 1, map[string]string{"job_title": "Mate"},
		b.person); !fault.Is(err, "changed_meanwhile") {
		t.Errorf("an old version: %v", err)
	}
	if _, err := b.work.ChangeRecord(b.Context(), "main", "contact", "CON-1", 0, map[string]string{"email": "nobody"},
		b.person); !fault.Is(err, "bad_email") {
		t.Errorf("a bad address: %v", err)
	}
	if _, err := b.work.ChangeRecord(b.Context(), "main", "contact", "CON-1", 0, map[string]string{"source_ref": "k-2"},
		b.person); !fault.Is(err, "key_taken") {
		t.Errorf("a key of another: %v", err)
	}
}

// Deleted records come back with their ids and links.
func TestUndoWhatWasDeleted(t *testing.T) {
	b := start(t)
	b.load(b.check(b.drafted(employed, "contact", "account")))
	yes := true // what a field held that is no longer filled comes back too
	_, err := b.work.ChangeField(b.Context(), "main", "contact", "email", catalog.FieldChange{Retired: &yes}, 0, b.person)
	b.ok(err)
	before := b.records("account", "contact")
	i := b.change(b.upload("contact", "Ref,Family name\nK-1,Berg\nK-3,Moe\n"), func(r *mapping.Routine) {
		r.Drafts[0].May = mapping.Delete
		r.Drafts[0].Match = []catalog.MatchRule{{Fields: []string{"source_ref"}}}
	})
	i = b.load(b.check(i))
	b.want(b.outcomes(i), map[verdict.Outcome]int64{"deleted": 2})
	b.want(b.planned(i, UndoRequest{}), "2 contacts come back")
	i = b.undo(i, UndoRequest{})
	b.want(b.records("account", "contact"), before)
	b.want(i.State, life.Undone)
	b.want(b.dangling(), 0)
}

// What others refer to, or have changed, stays and is listed; the rest goes.
func TestUndoKeepsWhatOthersUse(t *testing.T) {
	b := start(t)
	i := b.loaded("account", "Name,City\nQuay House,Bergen\nAnchorby Marina,Oslo\nFjordline Hotels,Moss\n")
	b.loaded("contact", "Ref,Family name,Company\nK-1,Berg,Quay House\n")
	_, err := b.work.ChangeRecord(b.Context(), "main", "account", "ACC-2", 0,
		map[string]string{"phone": "+4722000000"}, b.person)
	b.ok(err)
	b.want(b.planned(i, UndoRequest{}), "1 account goes; 1 account stays: changed by somebody else since; 1 account "+
		"stays: other records refer to it now")
	i = b.undo(i, UndoRequest{})
	b.want(i.State, life.Loaded)
	b.want(b.outcomes(i), map[verdict.Outcome]int64{"created": 2, "undone": 1})
	b.want(b.dangling(), 0)
	// Once the reason has gone, so can the rest.
	_, err = b.work.ChangeRecord(b.Context(), "main", "account", "ACC-2", 0, map[string]string{"phone": ""}, b.person)
	b.ok(err)
	i = b.undo(i, UndoRequest{})
	b.want(b.outcomes(i), map[verdict.Outcome]int64{"created": 1, "undone": 2})
}

// A load begins with some rows; these are taken back, or the rest follows as it
// was checked.
func TestTrialLoad(t *testing.T) {
	b := start(t)
	before := b.records("account", "contact")
	i := b.check(b.drafted(employed+"K-4,Di,Eik,bad,Anchorby Marina\n", "contact", "account"))
	chosen, err := b.work.Choose(b.Context(), i, staging.Choice{First: 1})
	b.ok(err)
	b.want(fmt.Sprint(chosen.Only, " ", chosen.Rows, chosen.Needed), "{[2,3)} 1 0")
	chosen, err = b.work.Choose(b.Context(), i, staging.Choice{Rows: "{[3,3]}"})
	b.ok(err)
	b.want(fmt.Sprint(chosen.Only, " ", chosen.Rows, chosen.Needed), "{[2,4)} 1 1") // the row that makes its company
	b.ok(b.work.Load(b.Context(), i, LoadRequest{Choice: staging.Choice{Rows: "{[3,3]}"}}, b.person))
	i = b.wait(i.ID)
	b.want(i.State, life.Ready)
	b.want(i.Rest, life.Loaded)
	b.want(b.outcomes(i), map[verdict.Outcome]int64{"created": 2})
	b.want(i.Totals.V.Verdicts, map[string]int64{"create": 1, "hold": 1})
	b.agree(i)
	i = b.undo(i, UndoRequest{})
	b.want(b.records("account", "contact"), before)
	i = b.check(i)
	b.ok(b.work.Load(b.Context(), i, LoadRequest{Choice: staging.Choice{First: 2}}, b.person))
	i = b.load(b.wait(i.ID)) // the rest, without another check
	b.want(b.outcomes(i), map[verdict.Outcome]int64{"created": 3, "held": 1})
	b.want(i.State, life.Loaded)
	b.agree(i)
	i = b.undo(i, UndoRequest{}) // both loads
	b.want(b.outcomes(i), map[verdict.Outcome]int64{"undone": 3, "held": 1})
	b.want(b.records("account", "contact"), before)
	if err := b.work.Load(b.Context(), b.check(i), LoadRequest{Choice: staging.Choice{Rows: "{[90,99]}"}},
		b.person); !fault.Is(err, "no_such_rows") || !strings.Contains(err.Error(), `"90-99"`) {
		t.Errorf("rows that are not there: %v", err)
	}
}

// Rows of a load are taken back and the others stay.
func TestUndoSomeRows(t *testing.T) {
	b := start(t)
	i := b.loaded("contact", "Ref,Family name\nK-1,Berg\nK-2,Li\nK-3,Moe\n")
	rows, err := ParseRows("2, 4-9")
	b.ok(err)
	b.want(sayRows(rows), "2, 4-9")
	i = b.undo(i, UndoRequest{Rows: rows})
	b.want(b.outcomes(i), map[verdict.Outcome]int64{"created": 1, "undone": 2})
	b.want(i.State, life.Loaded)
	b.want(b.record("contact", "CON-2").Values["family_name"], "Li")
	i = b.undo(i, UndoRequest{})
	b.want(i.State, life.Undone)
	if _, err := ParseRows("3-x"); !fault.Is(err, "bad_rows") {
		t.Errorf("bad rows: %v", err)
	}
}

// A row for which another stood opens again when the record of that goes, and only
// then: those of other records stay what they are, also where the row that stands
// for them comes after them.
func TestUndoOpensWhatStoodAside(t *testing.T) {
	for _, repeats := range []mapping.Repeats{mapping.FirstWins, mapping.LastWins, mapping.MergeRows} {
		t.Run(string(repeats), func(t *testing.T) {
			b := start(t)
			i := b.upload("contact", "Ref,Family name,Post\nK-1,Berg,Clerk\nK-1,Berg,Head\nK-2,Li,Clerk\nK-2,Li,Head\n")
			i = b.change(i, func(r *mapping.Routine) { r.Drafts[0].Repeats = repeats })
			i = b.load(b.check(i))
			b.want(b.outcomes(i), map[verdict.Outcome]int64{"created": 2, "skipped": 2})
			_, err := b.work.ChangeRecord(b.Context(), "main", "contact", "CON-2", 0,
				map[string]string{"job_title": "Skipper"}, b.person)
			b.ok(err)
			// What somebody has changed since stays, and so do the rows that it is of.
			i = b.undo(i, UndoRequest{})
			b.want(b.outcomes(i), map[verdict.Outcome]int64{"created": 1, "skipped": 1, "undone": 2})
			runs, err := b.store.Runs(b.Context(), i.ID)
			b.ok(err)
			i = b.undo(i, UndoRequest{Run: runs[0].ID})
			b.want(b.outcomes(i), map[verdict.Outcome]int64{"created": 2, "skipped": 2})
		})
	}
}

// All rows are loaded in one transaction, or none; and a load gives way as it is
// told to.
func TestPolicies(t *testing.T) {
	b := start(t)
	i := b.check(b.upload("contact", "Ref,Family name,E-mail\nK-1,Berg,\nK-2,Li,bad\nK-3,Dragon,\n"))
	whole := LoadRequest{Policy: mapping.LoadPolicy{Whole: true}}
	if err := b.work.Load(b.Context(), i, whole, b.person); !fault.Is(err, "not_all") {
		t.Errorf("a held row: %v", err)
	}
	if err := b.work.Load(b.Context(), i, LoadRequest{Policy: mapping.LoadPolicy{PauseHeld: 1}},
		b.person); !fault.Is(err, "too_many_held") {
		t.Errorf("a held row: %v", err)
	}
	kept := b.check(b.change(b.again(i), func(r *mapping.Routine) { r.Load = &mapping.LoadPolicy{PauseHeld: 1} }))
	if err := b.work.Load(b.Context(), kept, LoadRequest{}, b.person); !fault.Is(err, "too_many_held") {
		t.Errorf("a policy that the routine keeps: %v", err)
	}
	i = b.check(b.change(kept, func(r *mapping.Routine) { r.Load = nil }))
	n, err := b.work.Edit(b.Context(), i, []CellEdit{{3, "E-mail", ""}}, b.person)
	b.ok(err)
	b.want(n, int64(1))
	_, err = b.store.Pool().Exec(b.Context(),
		`alter table w_main.r_contact add constraint no_dragons check (f_family_name <> 'Dragon')`)
	b.ok(err)
	i = b.again(i)
	b.want(i.State, life.Ready)
	b.ok(b.work.Load(b.Context(), i, whole, b.person))
	i = b.wait(i.ID)
	b.want(i.State, life.Ready)
	b.want(i.Trouble.V.Code, "not_all")
	b.want(b.records("contact"), "")
	b.ok(b.work.Load(b.Context(), i, LoadRequest{Policy: mapping.LoadPolicy{StopFails: 1}}, b.person))
	i = b.wait(i.ID)
	b.want(i.State, life.Stopped)
	b.want(b.outcomes(i), map[verdict.Outcome]int64{"created": 2, "failed": 1})
	_, err = b.store.Pool().Exec(b.Context(), `alter table w_main.r_contact drop constraint no_dragons`)
	b.ok(err)
	i = b.check(i)
	b.ok(b.work.Load(b.Context(), i, whole, b.person))
	i = b.wait(i.ID)
	b.want(i.Outcomes.V[verdict.Created], int64(3))
	b.want(i.State, life.Loaded)
	b.agree(i)
}

// known is what the model knows of a record.
type known struct {
	id     int64
	maker  int64 // import
	values map[string]string
	log    []written
}

// written is one write of a value.
type written struct {
	by            int64 // import; 0 is a person
	field         string
	before, after string
}

// Random loads, changes by hand and undos: the records are at every moment those
// of a model that keeps them in a map, and an undo right after its load gives back
// what was before it.
func TestUndoAgainstAModel(t *testing.T) {
	b := start(t)
	r := rand.New(rand.NewPCG(11, 25))
	model := map[string]*known{} // by key
	fields := []string{"family_name", "job_title", "locality"}
	words := []string{"Berg", "Li", "Moe", "Eik"}
	var loads []store.Import
	next := int64(1)
	said := func() string {
		var list []*known
		for _, k := range model {
			list = append(list, k)
		}
		slices.SortFunc(list, func(a, b *known) int { return int(a.id - b.id) })
		var out []string
		for _, k := range list {
			out = append(out, fmt.Sprint(k.id, k.values))
		}
		return strings.Join(out, "\n")
	}
	is := func() string {
		var out []string
		list, _, err := b.store.Records(b.Context(), "main", "contact", store.RecordFilter{Limit: 400})
		b.ok(err)
		for _, x := range list {
			v := map[string]string{}
			for _, f := range fields {
				v[f] = x.Values[f]
			}
			out = append(out, fmt.Sprint(x.ID, v))
		}
		return strings.Join(out, "\n")
	}
	put := func(k *known, by int64, field, v string) {
		if k.values[field] != v {
			k.log = append(k.log, written{by, field, k.values[field], v})
			k.values[field] = v
		}
	}
	load := func() {
		text := "Ref,Family name,Job title,City\n"
		keys := r.Perm(8)[:1+r.IntN(5)]
		rows := map[string][]string{}
		var order []string
		for _, n := range keys {
			key := fmt.Sprint("K-", n)
			row := []string{words[r.IntN(4)], words[r.IntN(4)], words[r.IntN(4)]}
			rows[key], order = row, append(order, key)
			text += key + "," + strings.Join(row, ",") + "\n"
		}
		i := b.change(b.upload("contact", text), func(x *mapping.Routine) {
			x.Drafts[0].Match, x.Drafts[0].Doubtful = []catalog.MatchRule{{Fields: []string{"source_ref"}}}, mapping.TakeRows
		})
		i = b.load(b.check(i))
		for _, key := range order {
			k := model[key]
			if k == nil {
				k = &known{id: next, maker: i.ID, values: map[string]string{}}
				model[key] = k
				next++
				for n, f := range fields {
					k.values[f] = rows[key][n]
				}
				continue
			}
			for n, f := range fields {
				put(k, i.ID, f, rows[key][n])
			}
		}
		loads = append(loads, i)
	}
	undo := func(i store.Import) {
		b.undo(b.again(i), UndoRequest{})
		for key, k := range model {
			changed := false
			for _, f := range fields {
				var first, last *written
				for n := range k.log {
					if w := &k.log[n]; w.field == f && w.by != i.ID {
						if first == nil {
							first = w
						}
						last = w
					}
				}
				changed = changed || first != nil && first.before != last.after
			}
			if k.maker == i.ID && !changed {
				delete(model, key)
				continue
			}
			for _, f := range fields {
				var own *written
				for n := range k.log {
					if w := &k.log[n]; w.field == f && w.by == i.ID {
						own = w
					}
				}
				if own != nil && k.values[f] == own.after {
					put(k, -i.ID, f, own.before)
				}
			}
		}
	}
	for step := range 60 {
		switch n := r.IntN(10); {
		case n < 4 || len(loads) == 0:
			before := is()
			load()
			if r.IntN(3) == 0 {
				undo(loads[len(loads)-1])
				loads = loads[:len(loads)-1]
				if now := is(); now != before {
					t.Fatalf("step %d: an undo right after its load\n%s\nbefore it\n%s", step, now, before)
				}
			}
		case n < 7 && len(model) > 0:
			for _, k := range model {
				f, v := fields[r.IntN(3)], words[r.IntN(4)]
				_, err := b.work.ChangeRecord(b.Context(), "main", "contact", fmt.Sprint("CON-", k.id), 0,
					map[string]string{f: v}, b.person)
				b.ok(err)
				put(k, 0, f, v)
				break
			}
		default:
			n := r.IntN(len(loads))
			undo(loads[n])
			loads = slices.Delete(loads, n, n+1)
		}
		if got, want := is(), said(); got != want {
			t.Fatalf("step %d: there is\n%s\nthe model has\n%s", step, got, want)
		}
	}
}
