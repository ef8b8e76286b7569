package staging

import (
	"context"
	"fmt"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
	"uchi/internal/core/verdict"
	"uchi/internal/schema"
	"uchi/internal/store"
)

// Rows may be the children of a record, such as the lines of a deal. Children of the
// records that they speak of which no row names are gone from the source: they are
// counted, and deleted at the end of the load where the policy says so. Of a parent with a
// row of which it is not certain which child it means nothing is gone; nor of any, where it
// is not certain whose child a row is.

var (
	stepGone = step{
		does:   "finds children that are gone from the source",
		reads:  "draft aside matches problems asked links became results records",
		writes: "gone",
	}
	stepRemoved = step{does: "deletes children that are gone from the source", reads: "gone results",
		writes: "gone records history"}
)

// goneFrom gives the statements that list the children which are gone, for all rows.
func (k *draftCheck) goneFrom() []stmt {
	if k.plan.Child == nil {
		return nil
	}
	parent, column := referenceOf(k.plan.Child.Field), schema.Column(k.plan.Child.Field, "r")
	var named, done []string // by this draft and others of the type
	for _, d := range k.drafts {
		if d.plan.Type.Name == k.plan.Type.Name {
			named = append(named, `select record_id from `+d.table("matches"))
			done = append(done, schema.Int(d.n+1))
		}
	}
	return []stmt{
		q(`drop table if exists {gone}`),
		q(`create unlogged table {gone} as
			with said as materialized (
				select d.row_no, {parent} as parent,
					coalesce(a.why in ({follow}), true) and {sound d} and not exists (select from {asked} x
					where x.row_no = d.row_no and `+k.about("x")+`) as certain
				from {linked}
				left join {aside} a on a.row_no = d.row_no
				where a.why is null or a.why not in (@nothing, @example, @grouped)
				union all
				select a.row_no, null, false -- what is left out by a condition is not read
				from {aside} a
				where a.why not in (@nothing, @example, @grouped) and not exists (select from {draft} d where d.row_no = a.row_no)
			),
			done as materialized (
				select record_id from {results} where last and draft in ({done}) and record_id is not null and outcome <> 'undone'
			),
			doubted as materialized (select distinct parent from said where not certain),
			parents as (
				select parent from said where parent > 0
				union
				select {column} from done o join {records} r on r.id = o.record_id
			)
			select r.id as record_id, r.version, {column} as parent,
				u.parent is not null or exists (select from doubted where parent is null) as unsure
			from parents p join {records} r on {column} = p.parent
			left join doubted u on u.parent = p.parent
			where not exists (select from ({named}) m where m.record_id = r.id)
				and not exists (select from done o where o.record_id = r.id)`,
			frag{
				"parent": parent, "column": column, "follow": follow, "linked": k.linked(),
				"named": strings.Join(named, " union all "), "done": list(done),
			},
			arg{"nothing": string(verdict.NothingGiven), "example": string(verdict.AnExample),
				"grouped": string(verdict.Grouped)}),
		k.index("gone", "record_id"),
		q(`analyze {gone}`),
	}
}

// digestGone is a digest of the children that are gone, so that a check that is made again
// tells whether it would delete others than were seen.
func (k *Check) digestGone(ctx context.Context, on querier) (int64, error) {
	var sum int64
	for _, d := range k.drafts {
		there, err := d.hasGone(ctx, on)
		if err != nil {
			return 0, err
		}
		if !there {
			continue
		}
		var part int64
		err = on.QueryRow(ctx, `select coalesce(bit_xor(hashint8extended(record_id, unsure::integer)), 0)
			from `+d.table("gone")).Scan(&part)
		if err != nil {
			return 0, fmt.Errorf("sum up what is gone from the source: %w", err)
		}
		sum ^= part
	}
	return sum, nil
}

// hasGone reports whether children that are gone were looked for: not where the check was made
// before that was done.
func (k *draftCheck) hasGone(ctx context.Context, on querier) (there bool, err error) {
	if k.plan.Child == nil || k.whole != nil {
		return false, nil
	}
	err = on.QueryRow(ctx, `select to_regclass($1) is not null`, k.table("gone")).Scan(&there)
	return there, err
}

// countGone counts the children that are gone from the source; nil when there are none.
func (k *draftCheck) countGone(ctx context.Context, on querier) (*verdict.GoneCount, error) {
	if there, err := k.hasGone(ctx, on); err != nil || !there {
		return nil, err
	}
	list, err := collect[verdict.GoneCount](ctx, on, k.word, q(`
		select count(*) filter (where not unsure) as records,
			count(distinct parent) filter (where not unsure) as of,
			count(*) filter (where unsure) as unsure
		from {gone}`))
	if err != nil || list[0] == (verdict.GoneCount{}) {
		return nil, err
	}
	list[0].Remove = k.plan.Gone == mapping.RemoveGone
	return &list[0], nil
}

// removeGone deletes, at the end of a load of all rows, the children that are gone where the
// policy says so: those that nobody has changed since the check, and that nothing points to.
func (c *chunk) removeGone(ctx context.Context) error {
	for _, k := range c.check.drafts {
		if k.plan.Child == nil || k.plan.Gone != mapping.RemoveGone {
			continue
		}
		if _, _, err := store.LockTypes(ctx, c.tx, c.i.Workspace, map[string]int64{k.plan.Type.Name: 0}, nil); err != nil {
			return err
		}
		free := []string{`true`}
		for _, p := range k.catalog.PointingTo(k.plan.Type.Name) {
			pointing := schema.Records(c.i.Workspace, p.Type.Name)
			free = append(free, `not exists (select from `+pointing+` x where `+schema.Column(p.Field, "x")+` = r.id)`)
		}
		d := &draftChunk{chunk: c, check: k, plan: k.plan}
		// Those that a row turned out to mean stay; told apart on their own, so that the server does not look through all
		// rows for each.
		_, err := d.do(ctx, stepRemoved, q(`update {gone} g set unsure = true from {results} o
			where o.last and o.draft = {n} and o.record_id = g.record_id`))
		if err != nil {
			return err
		}
		n, err := d.do(ctx, stepRemoved, deleteRecords(k.plan.Type, `{records} r using {gone} g
			where r.id = g.record_id and r.version = g.version and not g.unsure and `+schema.Column(k.plan.Child.Field, "r")+
			` = g.parent
				and `+strings.Join(free, " and "), c.i, c.run))
		if err != nil {
			return err
		}
		if _, err := c.tx.Exec(ctx, `update runs set removed = removed + $2 where id = $1`, c.run.ID, n); err != nil {
			return fmt.Errorf("note what was removed: %w", err)
		}
	}
	return nil
}

// GoneChild is a child that is gone from the source of an import.
type GoneChild struct {
	Draft  string `db:"draft"`
	Type   string `db:"type"`
	Record int64  `db:"record_id"`
	Title  string `db:"title"`
	Parent int64  `db:"parent"`
	Unsure bool   `db:"unsure"` // a row that is not settled may mean it
	Of     string `db:"of"`     // the type of its parent
}

// Gone lists the children that are gone from the source by the check that holds, behind a
// record of a draft, at most so many.
func (r *Room) Gone(ctx context.Context, i store.Import, plan *mapping.Plan, c catalog.Catalog, draft string,
	after int64, limit int) ([]GoneChild, error) {
	k, ok := r.holding(i, plan, c)
	if !ok {
		return nil, nil
	}
	for _, d := range k.drafts {
		if there, err := r.there(ctx, d.table("gone")); err != nil || !there {
			if err != nil {
				return nil, fmt.Errorf("list what is gone from the source: %w", err)
			}
			continue
		}
		if d.plan.Child == nil || draft != "" && d.plan.Name != draft {
			continue
		}
		list, err := collect[GoneChild](ctx, r.pool, d.word, q(`
			select {name} as draft, {type} as type, g.record_id, {title} as title, g.parent, g.unsure, {of} as of
			from {gone} g join {records} r on r.id = g.record_id
			where g.record_id > @after order by g.record_id limit @limit`,
			frag{
				"type": schema.Literal(d.plan.Type.Name), "of": schema.Literal(d.plan.Child.Field.To),
				"title": schema.TitleText(d.plan.Type, "r"),
			}, arg{"after": after, "limit": limit}))
		if err != nil {
			return nil, fmt.Errorf("list what is gone from the source: %w", err)
		}
		return list, nil
	}
	return nil, nil
}
