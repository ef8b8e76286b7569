package staging

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"hash/fnv"
	"io"
	"runtime"
	"slices"
	"strings"
	"sync"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/matching"
	"uchi/internal/core/verdict"
	"uchi/internal/pgcopy"
	"uchi/internal/schema"
)

// Bounds of the search for candidates: no value, however frequent, may make
// the work explode.
const (
	mostSharing    = 50    // records that share a blocking key for it to be used
	mostPairs      = 5_000 // pairs that one blocking key may bring together
	mostReached    = 60    // records that the keys of a row may reach, the rarest keys first
	mostCompared   = 25    // candidates that a row is compared with, those with most keys in common
	mostFrequent   = 400_000
	mostExplained  = mostCandidates
	compareWorkers = 4
)

// comparedColumns is the SQL of the values of fields that are compared. Beside
// who a person works for, which is a record's id, stands that record's name.
func comparedColumns(fields []catalog.Field, value, employer func(catalog.Field) string) string {
	var cols []string
	for _, f := range fields {
		text := schema.Text(f, value(f))
		if f.ComparedAs() == catalog.AsEmployer {
			text += ` || ` + schema.Literal(matching.EmployerMark) + ` || coalesce(` + employer(f) + `, '')`
		}
		cols = append(cols, `coalesce(`+text+`, '')`)
	}
	return `array[` + list(cols) + `]::text[]`
}

// noEmployers leaves names away, where only keys are made.
func noEmployers(catalog.Field) string { return "''" }

// employerOf gives the SQL of the name of the record that a reference of an
// alias points to.
func employerOf(workspace string, c catalog.Catalog, alias string) func(catalog.Field) string {
	return func(f catalog.Field) string {
		return employerName(workspace, c, f, schema.Column(f, alias))
	}
}

func employerName(workspace string, c catalog.Catalog, f catalog.Field, id string) string {
	t, ok := c.Type(f.To)
	if !ok {
		return "''"
	}
	return `(select ` + schema.TitleText(t, "e") + ` from ` + schema.Records(workspace, t.Name) +
		` e where e.id = ` + id + `)`
}

// employer is as employerOf, for a draft, whose employer may be a draft too.
func (k *draftCheck) employer(f catalog.Field) string {
	there := employerName(k.i.Workspace, k.catalog, f, drafted(f))
	fp := k.field(f.Name)
	if fp == nil || fp.Draft < 0 {
		return there
	}
	target := k.Check.drafts[fp.Draft]
	for _, name := range target.plan.Type.Title {
		if target.field(name) == nil {
			return there
		}
	}
	return `case when ` + drafted(f) + ` < 0 then (select ` + schema.TitleText(target.plan.Type, "e") + ` from ` +
		target.table("draft") + ` e where e.row_no = -` + drafted(f) + `) else ` + there + ` end`
}

// ofRecord gives the SQL of the values of records of an alias.
func ofRecord(alias string) func(catalog.Field) string {
	return func(f catalog.Field) string { return schema.Column(f, alias) }
}

var (
	stepLikeKeys = step{does: "makes the keys of likeness", reads: "draft aside matches links became records",
		writes: "keys"}
	stepFrequency  = step{does: "counts how frequent values are", reads: "keys likeness_keys", writes: "mine"}
	stepCandidates = step{
		does:   "brings together what may be alike",
		reads:  "keys likeness_keys draft records aside matches settled questions repeats",
		writes: "mine reach small near pairs",
	}
	stepScored     = step{does: "scores what may be alike", reads: "keys pairs records", writes: "found"}
	stepByLikeness = step{
		does:   "finds records by likeness",
		reads:  "found records draft keys settled cells several",
		writes: "matches questions candidates problems aside several found pairs",
	}
	stepOpposed = step{
		does:   "compares rows with the records of those that they are like",
		reads:  "twice found keys candidates records",
		writes: "opposed",
	}
	stepRepeatLikeness = step{
		does:   "finds rows that are alike",
		reads:  "found keys matches aside settled draft records",
		writes: "repeats questions candidates found pairs twice opposed",
	}
)

// stageKeys stages the compared values of all rows for the n-th rule, with their
// terms and blocking keys; of all, so that how rare a value is among the rows does
// not hang on what is found or answered. Where every row has found its record
// there is nothing to compare, and nothing is staged: ok is false then.
func (k *draftCheck) stageKeys(ctx context.Context, n int, c *matching.Comparer) (ok bool, err error) {
	if k.keysOf == n {
		return true, nil
	}
	err = k.do(ctx, stepLikeKeys,
		q(`drop table if exists {keys}`),
		q(`create unlogged table {keys} (row_no bigint not null,
			values text[] not null, terms integer[] not null, blocks integer[] not null, said bigint)`))
	if err != nil {
		return false, err
	}
	// Counted, not asked for the first: where most rows have gone and the few that stay lie
	// at the end, the plan for the first goes through all that have gone for each row.
	needed := `(select count(*) from {draft} d where {stays d} and {unfound d}) > 0`
	if k.whole != nil { // what the whole check has staged of the rows is to have a successor
		needed += ` or exists (select from ` + k.whole.drafts[k.n].table("keys") + `)`
	}
	query, _, err := q(`select ` + needed).compose(k.word)
	if err != nil {
		return false, err
	}
	if err := k.conn.pg.QueryRow(ctx, query).Scan(&ok); err != nil || !ok {
		return false, err
	}
	k.keysOf = n
	query, _, err = q(`select q.row_no, {values} from {staged}`,
		frag{"values": comparedColumns(c.Fields, drafted, k.employer), "staged": k.staged()}).compose(k.word)
	if err != nil {
		return false, err
	}
	out := pgcopy.Into(ctx, k.room.onConn(k.run), k.table("keys"), []string{"row_no", "values", "said", "terms", "blocks"})
	workers, err := comparing(c, func(f [][]byte, values []string, to *pgcopy.Buffer) {
		to.Row(5)
		to.Int64(pgcopy.Int64Of(f[0]))
		to.Raw(f[1])
		to.Int64(saidBy(values))
	})
	if err == nil {
		err = pgcopy.Through(ctx, k.room.reading, query, workers, []*pgcopy.In{out}, nil)
	}
	if err := out.End(err); err != nil {
		return false, fmt.Errorf("%s: %w", stepLikeKeys.does, err)
	}
	return true, k.do(ctx, stepLikeKeys, k.index("keys", "row_no"), q(`analyze {keys}`))
}

// saidBy is a number for all that is compared of a row, whatever its capitals: rows of different ones are not equal.
func saidBy(values []string) int64 {
	h := fnv.New64a()
	for _, v := range values {
		io.WriteString(h, strings.ToLower(v)) //nolint:errcheck // never fails
		h.Write([]byte{0x1f})                 //nolint:errcheck // never fails
	}
	return int64(h.Sum64())
}

// keysHeld are the keys of those that rows are compared with, as SQL: records, or all rows of the
// import.
type keysHeld struct {
	from  string // terms and blocks, by other
	other string // the column that says whose they are
	only  string // the rule of those that rows may be compared with, of x
	count string // how many there are
	table string // where they, or nearly all of them, stand
	often *often // how many of them have what many have, where that is known
}

// ofRecords gives the keys of the records.
func (k *draftCheck) ofRecords() keysHeld {
	table := schema.LikenessKeys(k.i.Workspace, k.plan.Type.Name)
	return keysHeld{from: table, table: table, other: "record_id", only: "true",
		count: `coalesce((select records from likeness_keys where workspace = ` + schema.Literal(k.i.Workspace) + `
			and type = ` + schema.Literal(k.plan.Type.Name) + ` and writes >= 0),
			(select count(*) from ` + table + `))`} // as long as an earlier version has made them
}

// ofRows gives the keys of all rows, those that are not checked again among them.
func (k *draftCheck) ofRows(ctx context.Context) (held keysHeld, err error) {
	held = keysHeld{from: k.among("keys"), table: k.table("keys"), other: "row_no",
		only: `not exists (select from ` + k.among("aside") + ` a where a.row_no = x.row_no)`}
	held.count = `(select count(*) from ` + held.from + ` x)`
	if k.whole == nil {
		return held, nil
	}
	held.table = k.whole.drafts[k.n].table("keys")
	if held.often, err = k.oftenNow(ctx); held.often != nil {
		held.count = `(select ` + oftenNumber + ` from (select 0 as code) m ` + held.often.beside(oftenRow, "m.code") + `)`
	}
	return held, err
}

// mostLookedUp is how many keys are looked up in an index one by one; for more it is quicker to
// go through all that are held.
const mostLookedUp = 20_000

// looksUp reports whether the keys in {mine} are to be looked up one by one in those held.
func (k *draftCheck) looksUp(ctx context.Context, held keysHeld) (few bool, err error) {
	if few, err = k.room.indexed(ctx, held.table); err != nil || !few {
		return false, err
	}
	query, _, err := q(`select count(*) <= ` + schema.Int(mostLookedUp) + ` from {mine}`).compose(k.word)
	if err != nil {
		return false, err
	}
	return few, k.conn.pg.QueryRow(ctx, query).Scan(&few)
}

// frequencies counts how many of those held have each term of the rows. Own
// is how many of them a row's own values count for.
func (k *draftCheck) frequencies(ctx context.Context, held keysHeld, own int64) (matching.Frequencies, error) {
	f := matching.Frequencies{Own: own}
	query, _, err := q(held.often.with() + `select ` + held.count).compose(k.word)
	if err != nil {
		return f, err
	}
	if err := k.room.pool.QueryRow(ctx, query).Scan(&f.N); err != nil {
		return f, fmt.Errorf("%s: %w", stepFrequency.does, err)
	}
	err = k.do(ctx, stepFrequency, q(`create unlogged table {mine} as select distinct unnest(terms) as t from {keys}`),
		q(`analyze {mine}`))
	if err != nil {
		return f, err
	}
	few, err := k.looksUp(ctx, held)
	if err != nil {
		return f, err
	}
	count := `
			select x.t, count(*) as n
			from (select unnest(terms) as t from {from} x) x join {mine} m on m.t = x.t
			group by x.t having count(*) > 1`
	if few {
		count = `
			select t, n from (
				select m.t, coalesce({number}, (select count(*) from {from} x where x.terms @> array[m.t])) as n from {mine} m {often}
			) y
			where n > 1`
	}
	counts := map[int32]int64{}
	query, _, err = q(held.often.with()+`select t, n from (`+count+`) y order by n desc limit `+schema.Int(mostFrequent),
		frag{"from": held.from, "number": oftenNumber, "often": held.often.beside(oftenTerm, "m.t")}).compose(k.word)
	if err != nil {
		return f, err
	}
	err = pgcopy.Out(ctx, k.room.reading, query, func(f [][]byte) error {
		counts[pgcopy.Int32Of(f[0])] = pgcopy.Int64Of(f[1])
		return nil
	})
	if err != nil {
		return f, fmt.Errorf("%s: %w", stepFrequency.does, err)
	}
	f.Count = func(term int32) int64 { return max(counts[term], 1) }
	return f, k.do(ctx, stepFrequency, q(`drop table {mine}`))
}

// findAlike finds by likeness: candidates share a blocking key, or the fields
// that must be equal; the core scores them as they stream by.
func (k *draftCheck) findAlike(ctx context.Context, n int, rule catalog.MatchRule) error {
	if k.whole == nil { // nobody has written since the whole check, when it was refreshed
		if err := k.room.RefreshLikeness(ctx, k.i.Workspace, k.plan.Type); err != nil {
			return err
		}
	}
	c := matching.NewComparer(k.plan.Type, rule.Alike)
	if ok, err := k.stageKeys(ctx, n, c); err != nil || !ok {
		return err
	}
	freq, err := k.frequencies(ctx, k.ofRecords(), 1)
	if err != nil {
		return err
	}
	if len(rule.Fields) > 0 {
		err = k.do(ctx, stepCandidates, q(`create unlogged table {pairs} as
			select row_no, other from (
				select d.row_no, r.id as other, row_number() over (partition by d.row_no order by r.id) as n
				from {keys} x join {linked} using (row_no) join {records} r on {same}
				where {unsettled d}
			) y where n <= @most`, frag{"same": k.sameRecord(rule), "linked": k.linked()}, arg{"most": mostCompared}))
	} else {
		err = k.blockPairs(ctx, "{unsettled d}", k.ofRecords(), 0, "true")
	}
	if err != nil {
		return err
	}
	err = k.score(ctx, q(`
		select p.row_no, p.other, d.values, {values}
		from {pairs} p join {keys} d using (row_no) join {records} r on r.id = p.other
		order by p.row_no`, frag{"values": comparedColumns(c.Fields, ofRecord("r"),
		employerOf(k.i.Workspace, k.catalog, "r"))}), c, freq, rule)
	if err != nil {
		return err
	}
	return k.do(ctx, stepByLikeness, append(k.decideAlike(n, rule), k.askSaidAll(c)...)...)
}

// mostOfOneName is how many records of one name are gone through for those that say what a row says.
const mostOfOneName = 200

// askSaidAll asks about rows of which records say all that they say, and that were not found to be these: what many
// have tells little, and there may be one more, but that is for a person to say. Keys that differ tell them apart.
func (k *draftCheck) askSaidAll(c *matching.Comparer) []stmt {
	names, _ := c.Telling()
	title := k.titleOf("w")
	if len(names) == 0 || title == "" {
		return nil
	}
	return k.askAbout(nil, []string{matching.OnlyEqual}, `
		with rows as materialized (
			select d.row_no, d.values, {title} as title
			from {keys} d join {draft} w on w.row_no = d.row_no where {unsettled d} and {named}
		),
		named as materialized (
			select t.title from (select distinct title from rows where title <> '') t join {records} r on r.{by} = t.title
			group by t.title having count(*) <= {most_of_one}
		)
		select d.row_no, r.id
		from rows d join named using (title) join {records} r on r.{by} = d.title join {draft} w on w.row_no = d.row_no
		where not exists (select from unnest(d.values, {values}) v (mine, theirs) where mine <> '' and lower(mine) <> lower(theirs))
			and not ({differ})`,
		frag{"title": title, "named": filled(names), "by": schema.Title, "differ": k.keysDiffer("w", "r"),
			"most_of_one": schema.Int(mostOfOneName),
			"values":      comparedColumns(c.Fields, ofRecord("r"), employerOf(k.i.Workspace, k.catalog, "r"))})
}

// keysDiffer is the SQL of whether a and b, drafts or records, have different keys.
func (k *draftCheck) keysDiffer(a, b string) string {
	sql := `false`
	for _, fp := range k.plan.Fields {
		if key := schema.Key(fp.Field.Name); fp.Field.Key {
			sql += ` or coalesce(` + a + `.` + key + ` <> ` + b + `.` + key + `, false)`
		}
	}
	return sql
}

// toldApart is the SQL of whether a person has said of two records that they are two.
func (k *draftCheck) toldApart(one, other string) string {
	return `exists (select from apart a where a.workspace = ` + schema.Literal(k.i.Workspace) + ` and a.type = ` +
		schema.Literal(k.plan.Type.Name) + `
		and a.low = least(` + one + `, ` + other + `) and a.high = greatest(` + one + `, ` + other + `))`
}

// decideAlike takes and asks about what the scores have decided.
func (k *draftCheck) decideAlike(n int, rule catalog.MatchRule) []stmt {
	ask := func(kind verdict.Question, decision matching.Decision) stmt {
		return q(`insert into {questions} (row_no, kind, rule, candidates, percent)
			select row_no, @kind, @rule, count(*), max(percent) from {found} where decision = @decision group by row_no`,
			arg{"kind": string(kind), "rule": n, "decision": int(decision)})
	}
	takeAt, _ := rule.Bounds()
	many := arg{"rule": n, "many": int(matching.Many)}
	statements := []stmt{
		q(`analyze {found}`),
		// A row that says just what a record says, of which a person has said that it is
		// none of the others that are like it, is that record.
		q(`delete from {found} f using {found} b
			where b.row_no = f.row_no and b.says_all and not f.says_all and {apart}`,
			frag{"apart": k.toldApart("b.other", "f.other")}),
		q(`update {found} f set decision = @found, place = 1
			where f.says_all and f.decision <> @found
				and not exists (select from {found} x where x.row_no = f.row_no and x.other <> f.other)
				and exists (select from apart a where a.workspace = @workspace and a.type = @type and f.other in (a.low, a.high))`,
			arg{"found": int(matching.Found), "workspace": k.i.Workspace, "type": k.plan.Type.Name}),
	}
	if rule.One == catalog.Ask {
		statements = append(statements, ask(verdict.AskAlike, matching.Found))
	} else {
		statements = append(statements, q(`insert into {matches} (row_no, record_id, version, rule, score, alike)
			select f.row_no, r.id, r.version, @rule, f.percent, f.alike
			from {found} f join {records} r on r.id = f.other
			where f.place = 1 and f.decision = @found`, arg{"rule": n, "found": int(matching.Found)}))
	}
	statements = append(statements,
		q(`insert into {candidates} (row_no, place, record_id, percent, reasons, against, alike)
			select row_no, place, other, percent, reasons, against, alike from {found}`),
		q(`insert into {questions} (row_no, kind, rule, candidates, percent)
			select row_no, case when count(*) > 1 then @several else @alike end, @rule, count(*), max(percent)
			from {found} where decision = @doubtful group by row_no`,
			arg{"several": string(verdict.AskSeveral), "alike": string(verdict.AskAlike), "rule": n,
				"doubtful": int(matching.Doubtful)}))
	switch rule.Several {
	case catalog.Hold:
		statements = append(statements,
			q(`create unlogged table {several} as
				select row_no, count(*) as finds, array_agg(other order by place) as ids
				from {found} where decision = @many group by row_no`, arg{"many": int(matching.Many)}),
			k.severalFound(rule),
			q(`insert into {matches} (row_no, record_id, version, rule)
				select x.row_no, r.id, r.version, @rule from {several} x join {records} r on r.id = x.ids[1]`, arg{"rule": n}),
			q(`drop table {several}`))
	case catalog.Skip:
		statements = append(statements, q(`insert into {aside} (row_no, why)
			select distinct row_no, @why from {found} where decision = @many`, arg{"why": string(verdict.SeveralThere),
			"many": int(matching.Many)}))
	case catalog.Oldest, catalog.Newest, catalog.Full:
		statements = append(statements, q(`insert into {matches} (row_no, record_id, version, rule, score, alike)
			select distinct on (f.row_no) f.row_no, r.id, r.version, @rule, f.percent, f.alike
			from {found} f join {records} r on r.id = f.other
			where f.decision = @many and f.percent >= @take_at
			order by f.row_no, {order}`, frag{"order": k.preferred(rule.Several)}, many, arg{"take_at": takeAt}))
	default:
		statements = append(statements, ask(verdict.AskSeveral, matching.Many))
	}
	return append(statements, q(`drop table {found}, {pairs}`), q(`analyze {matches}`))
}

// blockPairs brings together the rows d of keys of which a rule holds and those held
// that share blocking keys with them, with the bounds that keep the work small; which
// chooses among the pairs p of row_no and other. Own is how many of those held a row
// itself is.
func (k *draftCheck) blockPairs(ctx context.Context, rows string, held keysHeld, own int, which string) error {
	// Every step is a table of its own with statistics: what the planner cannot
	// estimate it joins in loops, or sorts into a thousand files.
	with := []any{frag{"rows": rows, "from": held.from, "other": held.other, "only": held.only, "which": which,
		"own": schema.Int(own)}}
	err := k.do(ctx, stepCandidates,
		q(`create unlogged table {mine} as
			select d.row_no, unnest(d.blocks) as b
			from {keys} d
			where {rows}`, with...),
		q(`create index on {mine} (b)`),
		q(`analyze {mine}`))
	if err != nil {
		return err
	}
	few, err := k.looksUp(ctx, held)
	if err != nil {
		return err
	}
	reach := q(`create unlogged table {reach} as
			select x.b, x.other
			from (select x.{other} as other, unnest(x.blocks) as b from {from} x where {only}) x
			where x.b in (select b from {mine})`, with...)
	if few {
		// What too many have brings nobody together, and takes longest to look up.
		reach = q(`create unlogged table {reach} as {with}
			select m.b, x.other
			from (select distinct b from {mine}) m {often}
			cross join lateral (select x.{other} as other from {from} x where x.blocks @> array[m.b] and {only}
			limit @sharing + 1) x
			where coalesce({number}, 0) <= @sharing`, append(with, frag{"with": held.often.with(), "number": oftenNumber,
			"often": held.often.beside(oftenBlock, "m.b")}, arg{"sharing": mostSharing})...)
	}
	return k.do(ctx, stepCandidates, reach,
		q(`analyze {reach}`),
		q(`create unlogged table {small} as
			select r.b, r.n - {own} as n
			from (select b, count(*) as n from {reach} group by b) r
			join (select b, count(*) as n from {mine} group by b) m on m.b = r.b
			where r.n <= @sharing and r.n * m.n <= @pairs and r.n > {own}`,
			append(with, arg{"sharing": mostSharing, "pairs": mostPairs})...),
		q(`analyze {small}`),
		q(`create unlogged table {near} as
			select row_no, b from (
				select d.row_no, d.b, s.n, sum(s.n) over (partition by d.row_no order by s.n, d.b) as reached
				from {small} s join {mine} d on d.b = s.b
			) y where reached - n < @reached`, arg{"reached": mostReached}),
		q(`analyze {near}`),
		q(`create unlogged table {pairs} as
			select row_no, other from (
				select row_no, other, row_number() over (partition by row_no order by shared desc, other) as n from (
					select d.row_no, r.other, count(*) as shared
					from {near} d
					join {reach} r on r.b = d.b
					group by d.row_no, r.other
					having count(*) > 1 or bool_or(d.b & 1 = 1) -- see matching.Strong
				) p
				where {which}
			) x where n <= @most`, append(with, arg{"most": mostCompared})...),
		q(`drop table {mine}, {reach}, {small}, {near}`),
		q(`analyze {pairs}`))
}

// candidate is one of those that a row is compared with.
type candidate struct {
	other  int64
	values []string
	score  matching.Score
}

// compared is a row with its candidates.
type compared struct {
	row        int64
	values     []string
	candidates []candidate
}

// score streams pairs (row, other, values of both, in the order of the rows)
// past the core and stages what it decides.
func (k *draftCheck) score(ctx context.Context, pairs stmt, c *matching.Comparer, freq matching.Frequencies,
	rule catalog.MatchRule) error {
	err := k.do(ctx, stepScored, q(`create unlogged table {found} (
		row_no bigint not null, place integer not null, other bigint not null, decision integer not null, percent real not null,
		reasons jsonb not null, against text[], alike text[], says_all boolean not null)`))
	if err != nil {
		return err
	}
	query, _, err := pairs.compose(k.word)
	if err != nil {
		return err
	}
	out := pgcopy.Into(ctx, k.room.onConn(k.run), k.table("found"), []string{"row_no", "place", "other", "decision",
		"percent", "reasons", "against", "alike", "says_all"})
	var mu sync.Mutex
	var failed error
	judge := c.Judge(k.weights, freq)
	work := make(chan compared, 64)
	var done sync.WaitGroup
	for range min(compareWorkers, runtime.NumCPU()) {
		done.Go(func() {
			for row := range work {
				var list []candidate
				var decision matching.Decision
				err := fault.Safely(func() error {
					list, decision = decide(row, c, judge, rule)
					return nil
				})
				if err != nil {
					err = fmt.Errorf("row %d: %w", row.row, err)
				}
				mu.Lock()
				if failed == nil {
					failed = err
				}
				if failed == nil {
					failed = addFound(out, row, list, decision)
				}
				mu.Unlock()
			}
		})
	}
	var row compared
	err = pgcopy.Out(ctx, k.room.reading, query, func(f [][]byte) error {
		if n := pgcopy.Int64Of(f[0]); n != row.row || row.values == nil {
			if row.values != nil {
				work <- row
			}
			row = compared{row: n, values: pgcopy.TextsOf(f[2], nil)}
		}
		row.candidates = append(row.candidates, candidate{other: pgcopy.Int64Of(f[1]), values: pgcopy.TextsOf(f[3], nil)})
		return nil
	})
	if err == nil && row.values != nil {
		work <- row
	}
	close(work)
	done.Wait()
	if err == nil {
		err = failed
	}
	if err := out.End(err); err != nil {
		return fmt.Errorf("%s: %w", stepScored.does, err)
	}
	return nil
}

// decide scores the candidates of a row, leaves out those that are not worth a
// question, and says what they come to.
func decide(row compared, c *matching.Comparer, judge *matching.Judge, rule catalog.MatchRule) ([]candidate,
	matching.Decision) {
	takeAt, askAt := rule.Bounds()
	subject := c.Prepare(row.values)
	list := row.candidates[:0]
	for _, x := range row.candidates {
		other := c.Prepare(x.values)
		if x.score = judge.Compare(&subject, &other); x.score.Asked(askAt) {
			list = append(list, x)
		}
	}
	slices.SortFunc(list, func(a, b candidate) int {
		return cmp.Or(cmp.Compare(b.score.Bits, a.score.Bits), cmp.Compare(a.other, b.other))
	})
	scores := make([]matching.Score, len(list))
	for i := range list {
		scores[i] = list[i].score
	}
	decision := matching.Decide(scores, takeAt, askAt)
	most := mostExplained
	if decision == matching.Found {
		most = 1
	}
	return list[:min(most, len(list))], decision
}

func addFound(out *pgcopy.In, row compared, list []candidate, decision matching.Decision) error {
	for i, x := range list {
		reasons, err := json.Marshal(x.score.Reasons)
		if err != nil {
			return err
		}
		out.Row(9)
		out.Int64(row.row)
		out.Int32(int32(i + 1))
		out.Int64(x.other)
		out.Int32(int32(decision))
		out.Float32(float32(x.score.Likely))
		out.JSONB(reasons)
		out.Texts(x.score.Against)
		out.Texts(x.score.Alike())
		out.Bool(slices.Equal(row.values, x.values))
		if err := out.Flush(); err != nil {
			return err
		}
	}
	return nil
}
