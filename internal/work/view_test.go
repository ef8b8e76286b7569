package work

import (
	"fmt"
	"strings"
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/rights"
	"uchi/internal/core/view"
	"uchi/internal/store"
)

// Every way to choose and sort gives the records it should, page by page as at once.
func TestViews(t *testing.T) {
	b := start(t)
	b.loaded("account", "Source ref,Company,Town,Country,Employees\nA-1,Tern Marina,Ternvik,NO,12\n"+
		"A-2,Gull Marina,Gullvik,SE,\nA-3,Skarv,,NO,7\nA-4,gull & co,Ternvik,DK,7\n")
	b.loaded("contact", "Ref,Given name,Family name,E-mail,Account,Interests\nK-1,Kari,Øksnes,kari@x.example,A-1,\n"+
		"K-2,Jan,Dal,,A-2,\nK-3,Ole,Dal,ole@x.example,,\nK-4,Åse,50%_off,,A-1,\n")
	ids := func(typeName string, v view.View, text string) string {
		t.Helper()
		var all, paged []string
		f := store.RecordFilter{View: v, Text: text}
		b.ok(b.store.EachRecord(b.Context(), "main", typeName, f,
			func(r store.Record) error { all = append(all, r.Type.RecordID(r.ID)[4:]); return nil }))
		for f.Limit = 1; ; {
			list, next, err := b.store.Records(b.Context(), "main", typeName, f)
			b.ok(err)
			for _, r := range list {
				paged = append(paged, r.Type.RecordID(r.ID)[4:])
			}
			if f.After = next; next == "" {
				break
			}
		}
		n, err := b.store.CountChosen(b.Context(), "main", typeName, f)
		b.ok(err)
		if strings.Join(all, " ") != strings.Join(paged, " ") || n != int64(len(all)) {
			t.Errorf("%+v: %v at once, %v by pages, %d counted", v, all, paged, n)
		}
		return strings.Join(all, " ")
	}
	for _, x := range []struct {
		typeName, filter, sort, want string
	}{
		{"account", ``, "", "1 2 3 4"},
		{"account", ``, "-id", "4 3 2 1"},
		{"account", ``, "title", "4 2 3 1"},
		{"account", ``, "employees,-name", "3 4 1 2"}, // a blank comes last, up
		{"account", ``, "-employees", "1 3 4 2"},      // and down
		{"account", ``, "locality,-employees", "2 1 4 3"},
		{"account", `country != "NO"`, "", "2 4"},
		{"account", `!(employees > 7)`, "", "2 3 4"}, // a blank is not more than seven
		{"account", `employees > 6.5 && employees <= 7`, "", "3 4"},
		{"account", `locality == "" || country in ["DK"]`, "", "3 4"},
		{"account", `name.lower().startsWith("gull")`, "", "2 4"},
		{"account", `name.startsWith("gull")`, "", "4"},
		{"account", `source_ref == "A-3"`, "", "3"},
		{"account", `created_at >= today() && created_at < today(1) && version == 1 && filled(made_by)`, "", "1 2 3 4"},
		{"contact", `account.country == "NO"`, "", "1 4"},
		{"contact", `!filled(account)`, "", "3"},
		{"contact", `account == "ACC-2"`, "", "2"},
		{"contact", `id in ["CON-4", "CON-1"]`, "title", "4 1"},
		{"contact", `family_name.contains("%_")`, "", "4"},
		{"contact", ``, "account,-email", "2 1 4 3"},
		{"contact", ``, "-account.locality,-id", "4 1 2 3"},
	} {
		v := view.View{Filter: x.filter}
		if x.sort != "" {
			v.Sort = strings.Split(x.sort, ",")
		}
		if got := ids(x.typeName, v, ""); got != x.want {
			t.Errorf("%s of %s by %s: %s, want %s", x.filter, x.typeName, x.sort, got, x.want)
		}
	}
	b.want(ids("contact", view.View{Filter: `filled(email)`}, "dal"), "3")

	// Columns of a record that is referred to stand beside its own.
	list, _, err := b.store.Records(b.Context(), "main", "contact",
		store.RecordFilter{View: view.View{Columns: []string{"account.locality", "account", "account.parent"}}, Limit: 1})
	b.ok(err)
	b.want(fmt.Sprint(list[0].Values, list[0].Links["account"].Title),
		"map[account:ACC-1 account.locality:Ternvik]Tern Marina")
}

func TestSavedViews(t *testing.T) {
	b := start(t)
	b.loaded("account", "Source ref,Company,Country,Town\nA-1,Tern Marina,NO,Ternvik\nA-2,Gull Marina,SE,Gullvik\n"+
		"A-3,Skarv,NO,Skarvvik\n")
	other, err := b.work.AddPerson(b.Context(), "other@x.example", "Other", rights.Operator,
		"shore power for all", b.person)
	b.ok(err)
	v := store.SavedView{Type: "account", Name: " In Norway "}
	v.View.V = view.View{Filter: `country == "NO"`, Columns: []string{"name"}, Sort: []string{"-name"}}
	v, err = b.work.SaveView(b.Context(), "main", v, b.person)
	b.ok(err)
	b.want(v.Name, "In Norway")

	// It is its owner's until it is shared, and only the owner changes it.
	seen := func(p store.Person) int {
		list, err := b.store.Views(b.Context(), "main", "account", p.ID)
		b.ok(err)
		return len(list)
	}
	b.want(fmt.Sprint(seen(b.person), seen(other)), "1 0")
	_, err = b.work.Looking(b.Context(), "main", Look{SavedView: v.ID}, other)
	b.want(fault.Is(err, "unknown_view"), true)
	v.Shared = true
	v, err = b.work.SaveView(b.Context(), "main", v, b.person)
	b.ok(err)
	b.want(fmt.Sprint(seen(other), v.Version), "1 2")
	_, err = b.work.SaveView(b.Context(), "main", v, other)
	b.want(fault.Is(err, "not_yours"), true)
	b.want(fault.Is(b.work.RemoveView(b.Context(), "main", v.ID, other), "not_yours"), true)
	stale := v
	stale.Version = 1
	_, err = b.work.SaveView(b.Context(), "main", stale, b.person)
	b.want(fault.Is(err, "changed_meanwhile"), true)
	again := store.SavedView{Type: "account", Name: "In Norway"}
	_, err = b.work.SaveView(b.Context(), "main", again, b.person)
	b.want(fault.Is(err, "name_taken"), true)

	// What is asked beside it narrows it, and shows it otherwise.
	r, err := b.work.ReadFilter(b.Context(), "main", "account", Look{SavedView: v.ID},
		[]view.Condition{{Field: "name", How: view.Beginning, Values: []string{"TERN"}}}, b.person)
	b.ok(err)
	b.want(fmt.Sprint(r.Filter, r.Count, r.Plain), `name.lower().startsWith("tern")1 true`)
	f, err := b.work.Looking(b.Context(), "main", Look{SavedView: v.ID, View: view.View{Sort: []string{"name"}}}, other)
	b.ok(err)
	b.want(fmt.Sprint(f.Columns, f.Sort), "[name] [name]")

	// A field that is no longer in use is told, wherever the view is asked for.
	retired := true
	_, err = b.work.ChangeField(b.Context(), "main", "account", "country", catalog.FieldChange{Retired: &retired},
		0, b.person)
	b.ok(err)
	c, err := b.store.Catalog(b.Context(), "main")
	b.ok(err)
	b.want(fault.Is(Trouble(c, v), "field_retired"), true)
	_, _, err = b.store.Records(b.Context(), "main", "account", store.RecordFilter{View: v.View.V, Limit: 1})
	b.want(fault.Is(err, "field_retired"), true)
	b.ok(b.work.RemoveView(b.Context(), "main", v.ID, b.person))
	b.want(seen(other), 0)
}
