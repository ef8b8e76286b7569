package schema

import (
	"slices"

	"uchi/internal/core/catalog"
)

// Edition is the layout of record tables that this package makes. Workspaces
// keep the edition of their tables and are brought up to it by Upgrade.
const Edition = 2

// Make is the DDL of a record type's tables, of the present edition. The fill
// factor leaves room for updates in place.
func Make(workspace string, t catalog.RecordType) []string {
	table := Records(workspace, t.Name)
	ddl := []string{
		`create table ` + table + ` (
			id bigint primary key,
			version integer not null default 1,
			created_at timestamptz not null default now(),
			created_by bigint not null,
			changed_at timestamptz not null default now(),
			changed_by bigint not null,
			import bigint,
			` + Title + ` text collate "C" not null default ''
		) with (fillfactor = 80)`,
		`create index on ` + table + ` (` + Title + `)`,
		importIndex(workspace, t),
		`create table ` + History(workspace, t.Name) + ` (
			record_id bigint not null,
			version integer not null,
			at timestamptz not null default now(),
			person bigint not null,
			import bigint,
			kind text not null,
			changes jsonb not null,
			primary key (record_id, version)
		)`,
	}
	for _, f := range t.Fields {
		ddl = append(ddl, addField(workspace, t, f)...)
	}
	return ddl
}

// Upgrade is the DDL that brings tables of an earlier edition up to the present.
func Upgrade(workspace string, t catalog.RecordType, from int) (ddl []string) {
	if from < 2 { // what an import made, and what points to a record, are looked up
		ddl = append(ddl, importIndex(workspace, t))
		for _, f := range t.Fields {
			ddl = append(ddl, linkIndex(workspace, t, f)...)
		}
	}
	return ddl
}

// importIndex finds the records that an import made. They lie together, so an
// index of block ranges does, and costs the load nothing.
func importIndex(workspace string, t catalog.RecordType) string {
	return `create index on ` + Records(workspace, t.Name) + ` using brin (import) with (autosummarize = on, pages_per_range = 32)`
}

// linkIndex finds what points to a record; blank references cost nothing.
func linkIndex(workspace string, t catalog.RecordType, f catalog.Field) []string {
	if f.Kind().Form != catalog.LinkForm {
		return nil
	}
	column := Value(f.Name)
	return []string{`create index on ` + Records(workspace, t.Name) + ` (` + column + `) where ` + column + ` is not null`}
}

// keyColumn adds the normal form of a field and its index: unique for a key.
func keyColumn(workspace string, t catalog.RecordType, f catalog.Field) []string {
	return []string{
		`alter table ` + Records(workspace, t.Name) + ` add column ` + Key(f.Name) + ` text collate "C"`,
		keyIndex(workspace, t, f),
	}
}

func keyIndex(workspace string, t catalog.RecordType, f catalog.Field) string {
	unique := ""
	if f.Key {
		unique = "unique "
	}
	column := Key(f.Name)
	return `create ` + unique + `index on ` + Records(workspace, t.Name) + ` (` + column + `) where ` + column + ` is not null`
}

func addField(workspace string, t catalog.RecordType, f catalog.Field) []string {
	table := Records(workspace, t.Name)
	ddl := []string{`alter table ` + table + ` add column ` + Value(f.Name) + ` ` + Type(f)}
	if f.Normalised() {
		ddl = append(ddl, keyColumn(workspace, t, f)...)
	}
	if InTitle(t, f.Name) {
		ddl = append(ddl, `alter table `+table+` add column `+Name(f.Name)+` text collate "C"`)
	}
	return append(ddl, linkIndex(workspace, t, f)...)
}

// Change is the DDL that brings the tables of a record type from one
// description to the next: fields that are new and fields that were renamed.
// Fields are retired without touching the tables, so their values stay.
func Change(workspace string, from, to catalog.RecordType) (ddl []string) {
	table := Records(workspace, to.Name)
	for _, f := range to.Fields {
		if _, there := from.Field(f.Name); there {
			continue
		}
		old := slices.IndexFunc(from.Fields, func(x catalog.Field) bool { return slices.Contains(f.Was, x.Name) })
		if old < 0 {
			ddl = append(ddl, addField(workspace, to, f)...)
			continue
		}
		was := from.Fields[old]
		rename := func(column func(string) string) {
			ddl = append(ddl, `alter table `+table+` rename column `+column(was.Name)+` to `+column(f.Name))
		}
		rename(Value)
		if was.Normalised() {
			rename(Key)
		}
		if InTitle(from, was.Name) {
			rename(Name)
		}
	}
	return ddl
}
