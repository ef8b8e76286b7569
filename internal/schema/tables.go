package schema

import (
	"slices"

	"uchi/internal/core/catalog"
)

// Edition is the layout of record tables that this package makes. Workspaces
// keep the edition of their tables and are brought up to it by Upgrade.
const Edition = 3

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
			run bigint,
			kind text not null,
			changes jsonb not null,
			was jsonb,
			primary key (record_id, version)
		)`,
		runIndex(workspace, t),
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
	if from < 3 { // what a piece of work has written can be told, to take it back
		history := History(workspace, t.Name)
		ddl = append(ddl,
			`alter table `+history+` add column run bigint, add column was jsonb`,
			`update `+history+` h set run = (
				select min(r.piece) from runs r
				where r.import = h.import and r.work = 'load' and h.at between r.began_at and coalesce(r.ended_at, 'infinity'))
			where h.import is not null`,
			runIndex(workspace, t),
			`insert into run_records (piece, type, ids)
			select r.piece, `+Literal(t.Name)+`, range_agg(int8range(x.id, x.id, '[]'))
			from `+Records(workspace, t.Name)+` x
			join runs r on r.import = x.import and r.work = 'load' and x.created_at between r.began_at and coalesce(r.ended_at, 'infinity')
			group by r.piece
			on conflict (piece, type) do nothing`)
	}
	return ddl
}

// runIndex finds what a piece of work has changed; entries of one lie together.
func runIndex(workspace string, t catalog.RecordType) string {
	return `create index on ` + History(workspace, t.Name) +
		` using brin (run) with (autosummarize = on, pages_per_range = 32)`
}

// importIndex finds the records that an import made. They lie together, so an
// index of block ranges does, and costs the load nothing.
func importIndex(workspace string, t catalog.RecordType) string {
	return `create index on ` + Records(workspace, t.Name) +
		` using brin (import) with (autosummarize = on, pages_per_range = 32)`
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
	return `create ` + unique + `index on ` + Records(workspace, t.Name) + ` (` + column + `) where ` + column +
		` is not null`
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
