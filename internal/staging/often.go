package staging

import (
	"context"

	"uchi/internal/schema"

	"github.com/jackc/pgx/v5"
)

// How many rows have a value that many have takes longest to count, and hardly
// changes when a cell is mended. It is counted once for a check of all rows, when
// somebody looks at them, and kept right by every check of some.

// leastOften is how many rows have a term or a blocking key that is counted
// beforehand; those of fewer are looked up as quickly.
const leastOften = 4 * mostSharing

// Kinds of what is counted.
const (
	oftenRow   = 0 // the rows that have keys
	oftenTerm  = 1 // the rows with a term
	oftenBlock = 2 // the rows with a blocking key that are not put aside
)

// often is what rows have often, by the check of all rows, with what a check of
// some of them changes of it.
type often struct {
	table   string // kind, code and n, of the whole
	changed string // the query of the same: how many more or fewer there are by now
}

// with begins a statement that makes use of what is known; nothing when that is nil.
func (o *often) with() string {
	if o == nil {
		return ""
	}
	return `with changed as materialized (` + o.changed + `) `
}

// beside is the join of what is counted of a kind beside rows m, by a code of theirs, in a
// statement that begins with it: oftenNumber is how many there are then, null where
// that was not counted.
func (o *often) beside(kind int, code string) string {
	if o == nil {
		return `cross join (select null::bigint as n) o cross join (select null::bigint as n) c`
	}
	return `left join ` + o.table + ` o on o.kind = ` + schema.Int(kind) + ` and o.code = ` + code + `
		left join changed c on c.kind = ` + schema.Int(kind) + ` and c.code = ` + code
}

const oftenNumber = `(o.n + coalesce(c.n, 0))`

// countKeys is the query of what is counted of rows with keys, as kind, code and n,
// which are n times as many: with -1 what goes is told.
func countKeys(keys, aside, which string, times int) string {
	n := schema.Int(times)
	return `
		select ` + schema.Int(oftenRow) + ` as kind, 0 as code, ` + n + ` * count(*) as n from ` + keys + ` x where ` + which + `
		union all
		select ` + schema.Int(oftenTerm) + `, t, ` + n + ` * count(*) from ` + keys + ` x, unnest(x.terms) t where ` + which + `
		group by t
		union all
		select ` + schema.Int(oftenBlock) + `, b, ` + n + ` * count(*) from ` + keys + ` x, unnest(x.blocks) b where ` + which + `
			and not exists (select from ` + aside + ` a where a.row_no = x.row_no)
		group by b`
}

// makeOften counts what many rows have, beside everything else. No row may take
// its place anew meanwhile.
func (k *draftCheck) makeOften(ctx context.Context) error {
	table := k.table("often")
	if there, err := k.room.there(ctx, table); err != nil || there {
		return err
	}
	return pgx.BeginFunc(ctx, k.room.pool, func(tx pgx.Tx) error {
		for _, sql := range []string{
			`lock table ` + k.table("keys") + ` in share mode`,
			`create unlogged table ` + table + ` as
				select * from (` + countKeys(k.table("keys"), k.table("aside"), "true", 1) + `) y
				where kind = ` + schema.Int(oftenRow) + ` or n >= ` + schema.Int(leastOften),
			`alter table ` + table + ` add primary key (kind, code)`,
			`analyze ` + table,
		} {
			if _, err := tx.Exec(ctx, sql); err != nil {
				return err
			}
		}
		return nil
	})
}

// oftenNow gives what rows have often, for a check of some of them; nil where it
// was not counted.
func (k *draftCheck) oftenNow(ctx context.Context) (*often, error) {
	whole := k.whole.drafts[k.n]
	there, err := k.room.there(ctx, whole.table("often"))
	if err != nil || !there {
		return nil, err
	}
	which := `row_no in (select unnest(` + numbers(k.rows) + `))`
	return &often{table: whole.table("often"), changed: `select kind, code, sum(n)::bigint as n from (` +
		countKeys(k.table("keys"), k.table("aside"), "true", 1) + ` union all ` +
		countKeys(whole.table("keys"), whole.table("aside"), which, -1) + `) y group by kind, code`}, nil
}

// rareBlocks is the SQL of whether not too many rows of the whole have a blocking key,
// given as SQL, for it to bring any together.
func (k *draftCheck) rareBlocks(ctx context.Context, code string) (string, error) {
	table := k.whole.drafts[k.n].table("often")
	there, err := k.room.there(ctx, table)
	if err != nil || !there {
		return `true`, err
	}
	return `not exists (select from ` + table + ` o where o.kind = ` + schema.Int(oftenBlock) + ` and o.code = ` + code + `
		and o.n > ` + schema.Int(mostSharing) + `)`, nil
}

// mergeOften keeps right what rows have often, before those that were checked again
// take their places.
func (k *draftCheck) mergeOften(ctx context.Context, tx pgx.Tx) error {
	whole := k.whole.drafts[k.n]
	// Who counts has ended then, and what they have counted is there.
	if _, err := tx.Exec(ctx, `lock table `+whole.table("keys")+` in row exclusive mode`); err != nil {
		return err
	}
	o, err := k.oftenNow(ctx)
	if err != nil || o == nil {
		return err
	}
	_, err = tx.Exec(ctx, o.with()+`update `+o.table+` o set n = o.n + c.n from changed c
		where c.kind = o.kind and c.code = o.code and c.n <> 0`)
	return err
}
