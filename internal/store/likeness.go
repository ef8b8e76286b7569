package store

import (
	"cmp"
	"context"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"hash/fnv"
	"runtime"
	"slices"
	"strings"
	"sync"

	"uchi/internal/core/catalog"
	"uchi/internal/core/matching"
	"uchi/internal/core/verdict"
)

// Bounds of the search for candidates: no value, however frequent, may make
// the work explode.
const (
	mostSharing    = 50    // records that share a blocking key for it to be used
	mostPairs      = 5_000 // pairs that one blocking key may bring together
	mostReached    = 20    // records that the keys of a row may reach, the rarest keys first
	mostCompared   = 25    // candidates that a row is compared with, those with most keys in common
	mostFrequent   = 400_000
	mostExplained  = mostCandidates
	compareWorkers = 4
)

// likenessTable keeps terms and blocking keys beside the records of a type. It
// is derived from them and brought up to date before it is used, whoever has
// written since.
func likenessTable(workspace, typeName string) string {
	return ident("w_"+workspace, "b_"+typeName)
}

// comparedColumns is the SQL of the values of fields that are compared.
func comparedColumns(fields []catalog.Field, column func(catalog.Field) string) string {
	var cols []string
	for _, f := range fields {
		cols = append(cols, `coalesce(`+textOf(f, column(f))+`, '')`)
	}
	return `array[` + strings.Join(cols, ", ") + `]::text[]`
}

func (s *Store) recordColumns(fields []catalog.Field) string {
	return comparedColumns(fields, func(f catalog.Field) string { return `r.` + fieldColumn(f.Name) })
}

// RefreshLikeness brings the likeness keys of a record type up to date: those
// of records that are new, changed or gone since the last time.
func (s *Store) RefreshLikeness(ctx context.Context, workspace string, t catalog.RecordType) error {
	c := matching.NewComparer(t, nil)
	edition := fnv.New64a()
	fmt.Fprint(edition, matching.Edition)
	for _, f := range c.Fields {
		fmt.Fprint(edition, f.Name, f.ComparedAs())
	}
	now := fmt.Sprintf("%x", edition.Sum64())
	conn, err := s.pool.Acquire(ctx)
	if err != nil {
		return fmt.Errorf("refresh likeness keys: %w", err)
	}
	defer conn.Release()
	table, records := likenessTable(workspace, t.Name), recordTable(workspace, t.Name)
	lock := fnv.New32a()
	lock.Write([]byte(table))
	if _, err := conn.Exec(ctx, `select pg_advisory_lock(8844, $1)`, int32(lock.Sum32())); err != nil {
		return fmt.Errorf("refresh likeness keys: %w", err)
	}
	defer conn.Exec(context.WithoutCancel(ctx), `select pg_advisory_unlock(8844, $1)`, int32(lock.Sum32())) //nolint:errcheck // the lock ends with the connection
	for _, q := range []string{
		`create unlogged table if not exists ` + table + ` (record_id bigint not null, version integer not null, terms integer[] not null, blocks integer[] not null)`,
		`delete from ` + table + ` where not exists (select from likeness_keys where workspace = ` + lit(workspace) + ` and type = ` + lit(t.Name) + ` and edition = ` + lit(now) + `)`,
		`delete from ` + table + ` b where not exists (select from ` + records + ` r where r.id = b.record_id and r.version = b.version)`,
		`insert into likeness_keys values (` + lit(workspace) + `, ` + lit(t.Name) + `, ` + lit(now) + `) on conflict (workspace, type) do update set edition = excluded.edition`,
	} {
		if _, err := conn.Exec(ctx, q); err != nil {
			return fmt.Errorf("refresh likeness keys: %w", err)
		}
	}
	out := copyInto(ctx, s.pool, table, []string{"record_id", "version", "terms", "blocks"})
	query := `select r.id, r.version, ` + s.recordColumns(c.Fields) + ` from ` + records + ` r where not exists (select from ` + table + ` b where b.record_id = r.id)`
	var values []string
	err = copyOut(ctx, s.pool, query, func(f [][]byte) error {
		values = textArray(f[2], values)
		subject := c.Prepare(values)
		out.row(4)
		out.int64(int64Of(f[0]))
		out.int32(int32(binary.BigEndian.Uint32(f[1])))
		out.int32s(subject.Terms())
		out.int32s(c.Blocks(&subject))
		return out.flush()
	})
	if err := out.end(err); err != nil {
		return fmt.Errorf("refresh likeness keys: %w", err)
	}
	if out.rows > 0 {
		if _, err := conn.Exec(ctx, `analyze `+table); err != nil {
			return fmt.Errorf("refresh likeness keys: %w", err)
		}
	}
	return nil
}

// stageKeys stages the compared values of rows with their terms and blocking keys.
func (k *draftCheck) stageKeys(ctx context.Context, c *matching.Comparer, cond string) error {
	keys := k.stage("keys")
	err := k.run("likeness", `drop table if exists `+keys, `create unlogged table `+keys+` (row_no bigint not null, values text[] not null, terms integer[] not null, blocks integer[] not null)`)
	if err != nil {
		return err
	}
	out := copyInto(ctx, k.store.pool, keys, []string{"row_no", "values", "terms", "blocks"})
	var values []string
	err = copyOut(ctx, k.store.pool, `select q.row_no, `+comparedColumns(c.Fields, now)+` from `+k.staged()+` where true`+cond, func(f [][]byte) error {
		values = textArray(f[1], values)
		subject := c.Prepare(values)
		out.row(4)
		out.int64(int64Of(f[0]))
		out.texts(values)
		out.int32s(subject.Terms())
		out.int32s(c.Blocks(&subject))
		return out.flush()
	})
	if err := out.end(err); err != nil {
		return fmt.Errorf("check, likeness: %w", err)
	}
	return k.run("likeness", `analyze `+keys)
}

// frequencies counts in a table of keys how many have each term of the rows.
func (k *draftCheck) frequencies(ctx context.Context, table string, own int64) (matching.Frequencies, error) {
	f := matching.Frequencies{Own: own}
	if err := k.store.pool.QueryRow(ctx, `select count(*) from `+table).Scan(&f.N); err != nil {
		return f, fmt.Errorf("check, likeness: %w", err)
	}
	counts := map[int32]int64{}
	mine := k.stage("mine")
	err := k.run("likeness", `drop table if exists `+mine, fmt.Sprintf(`create unlogged table %s as select distinct unnest(terms) as t from %s`, mine, k.stage("keys")), `analyze `+mine)
	if err != nil {
		return f, err
	}
	query := fmt.Sprintf(`select t, n from (select x.t, count(*) as n from (select unnest(terms) as t from %s) x join %s m on m.t = x.t group by x.t having count(*) > 1) y order by n desc limit %d`, table, mine, mostFrequent)
	if err := copyOut(ctx, k.store.pool, query, func(f [][]byte) error {
		counts[int32(binary.BigEndian.Uint32(f[0]))] = int64Of(f[1])
		return nil
	}); err != nil {
		return f, fmt.Errorf("check, likeness: %w", err)
	}
	f.Count = func(term int32) int64 { return max(counts[term], 1) }
	return f, nil
}

// findAlike finds by likeness: candidates share a blocking key, or the fields
// that must be equal; the core scores them as they stream by.
func (k *draftCheck) findAlike(ctx context.Context, n int, rule catalog.MatchRule) error {
	t := k.plan.Type
	if err := k.store.RefreshLikeness(ctx, k.ws, t); err != nil {
		return err
	}
	c := matching.NewComparer(t, rule.Alike)
	if err := k.stageKeys(ctx, c, k.unsettled("q")); err != nil {
		return err
	}
	freq, err := k.frequencies(ctx, likenessTable(k.ws, t.Name), 1)
	if err != nil {
		return err
	}
	pairs := k.stage("pairs")
	if len(rule.Fields) > 0 {
		err = k.run("likeness", `drop table if exists `+pairs, fmt.Sprintf(`create unlogged table %s as select row_no, other from (
			select d.row_no, r.id as other, row_number() over (partition by d.row_no order by r.id) as n from %s x join %s d using (row_no) join %s r on %s) y where n <= %d`,
			pairs, k.stage("keys"), k.stage("draft"), k.table, k.on(rule), mostCompared))
	} else {
		err = k.blockPairs(likenessTable(k.ws, t.Name), "record_id", "")
	}
	if err != nil {
		return err
	}
	query := `select p.row_no, p.other, d.values, ` + k.store.recordColumns(c.Fields) + ` from ` + pairs + ` p join ` + k.stage("keys") + ` d using (row_no) join ` + k.table + ` r on r.id = p.other order by p.row_no`
	if err := k.score(ctx, query, c, freq, rule); err != nil {
		return err
	}
	found, several := k.stage("found"), k.stage("several")
	q := []string{`analyze ` + found,
		fmt.Sprintf(`insert into %s select f.row_no, r.id, r.version, %d, f.percent, f.alike from %s f join %s r on r.id = f.other where f.place = 1 and f.decision = %d`, k.stage("matches"), n, found, k.table, k.taken(rule)),
		`insert into ` + k.stage("candidates") + ` select row_no, place, other, null, percent, reasons, against, alike from ` + found}
	ask := func(kind verdict.Question, decisions ...matching.Decision) string {
		return fmt.Sprintf(`insert into %s select row_no, %s, %d, count(*), max(percent) from %s where decision in (%s) group by row_no`, k.stage("questions"), lit(string(kind)), n, found, decisionList(decisions))
	}
	if rule.One == catalog.Ask {
		q = append(q, ask(verdict.AskAlike, matching.Found))
	}
	q = append(q, fmt.Sprintf(`insert into %s select row_no, case when count(*) > 1 then %s else %s end, %d, count(*), max(percent) from %s where decision = %d group by row_no`,
		k.stage("questions"), lit(string(verdict.AskSeveral)), lit(string(verdict.AskAlike)), n, found, matching.Doubtful))
	switch rule.Several {
	case catalog.Hold:
		q = append(q, fmt.Sprintf(`create unlogged table %s as select row_no, count(*) as finds, array_agg(other order by place) as ids from %s where decision = %d group by row_no`, several, found, matching.Many),
			k.severalFound(rule), `insert into `+k.stage("matches")+fmt.Sprintf(` select x.row_no, r.id, r.version, %d from %s x join %s r on r.id = x.ids[1]`, n, several, k.table), `drop table `+several)
	case catalog.Skip:
		q = append(q, fmt.Sprintf(`insert into %s select distinct row_no, %s, null::bigint from %s where decision = %d`, k.stage("aside"), lit(string(verdict.SeveralThere)), found, matching.Many))
	case catalog.Oldest, catalog.Newest, catalog.Full:
		order := map[catalog.Find]string{catalog.Oldest: `r.id`, catalog.Newest: `r.id desc`, catalog.Full: k.filled() + ` desc, r.id`}[rule.Several]
		takeAt, _ := rule.Bounds()
		q = append(q, fmt.Sprintf(`insert into %s select distinct on (f.row_no) f.row_no, r.id, r.version, %d, f.percent, f.alike from %s f join %s r on r.id = f.other where f.decision = %d and f.percent >= %v order by f.row_no, %s`,
			k.stage("matches"), n, found, k.table, matching.Many, takeAt, order))
	default:
		q = append(q, ask(verdict.AskSeveral, matching.Many))
	}
	return k.run("likeness", append(q, `drop table `+found, `drop table `+pairs)...)
}

// taken is the decision that takes a single find.
func (k *draftCheck) taken(rule catalog.MatchRule) int {
	if rule.One == catalog.Ask {
		return -1
	}
	return int(matching.Found)
}

func decisionList(list []matching.Decision) string {
	var out []string
	for _, d := range list {
		out = append(out, itoa(int(d)))
	}
	return strings.Join(out, ", ")
}

// blockPairs brings together the rows of keys and those of another table that
// share blocking keys, with the bounds that keep the work small.
func (k *draftCheck) blockPairs(table, id, cond string) error {
	keys, mine, reach, small, pairs := k.stage("keys"), k.stage("mine"), k.stage("reach"), k.stage("small"), k.stage("pairs")
	// Every step is a table of its own with statistics: what the planner cannot
	// estimate it joins in loops.
	return k.run("candidates", `drop table if exists `+mine, `drop table if exists `+reach, `drop table if exists `+small, `drop table if exists `+pairs,
		fmt.Sprintf(`create unlogged table %s as select row_no, unnest(blocks) as b from %s`, mine, keys),
		`create index on `+mine+` (b)`, `analyze `+mine,
		fmt.Sprintf(`create unlogged table %s as select x.b, x.other from (select %s as other, unnest(blocks) as b from %s) x where x.b in (select b from %s)`, reach, id, table, mine),
		`analyze `+reach,
		fmt.Sprintf(`create unlogged table %s as select r.b, r.n from (select b, count(*) as n from %s group by b) r join (select b, count(*) as n from %s group by b) m on m.b = r.b where r.n <= %d and r.n * m.n <= %d`,
			small, reach, mine, mostSharing, mostPairs),
		`analyze `+small,
		fmt.Sprintf(`create unlogged table %s as select row_no, other from (select row_no, other, row_number() over (partition by row_no order by shared desc, other) as n from
			(select d.row_no, r.other, count(*) as shared from (select row_no, b from (select d.row_no, d.b, s.n, sum(s.n) over (partition by d.row_no order by s.n, d.b) as reached
				from %s s join %s d on d.b = s.b) y where reached - n < %d) d join %s r on r.b = d.b where true%s group by d.row_no, r.other) met) x where n <= %d`,
			pairs, small, mine, mostReached, reach, cond, mostCompared),
		`drop table `+mine, `drop table `+reach, `drop table `+small, `analyze `+pairs)
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
func (k *draftCheck) score(ctx context.Context, query string, c *matching.Comparer, freq matching.Frequencies, rule catalog.MatchRule) error {
	found := k.stage("found")
	err := k.run("likeness", `drop table if exists `+found,
		`create unlogged table `+found+` (row_no bigint not null, place integer not null, other bigint not null, decision integer not null, percent real not null, reasons jsonb not null, against text[], alike text[])`)
	if err != nil {
		return err
	}
	out := copyInto(ctx, k.store.pool, found, []string{"row_no", "place", "other", "decision", "percent", "reasons", "against", "alike"})
	var mu sync.Mutex
	var failed error
	judge := c.Judge(k.weights, freq)
	work := make(chan compared, 64)
	var done sync.WaitGroup
	for range min(compareWorkers, runtime.NumCPU()) {
		done.Go(func() {
			for row := range work {
				list, decision := decide(row, c, judge, rule)
				mu.Lock()
				if failed == nil {
					failed = addFound(out, row.row, list, decision)
				}
				mu.Unlock()
			}
		})
	}
	var row compared
	err = copyOut(ctx, k.store.pool, query, func(f [][]byte) error {
		if n := int64Of(f[0]); n != row.row || row.values == nil {
			if row.values != nil {
				work <- row
			}
			row = compared{row: n, values: textArray(f[2], nil)}
		}
		row.candidates = append(row.candidates, candidate{other: int64Of(f[1]), values: textArray(f[3], nil)})
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
	if err := out.end(err); err != nil {
		return fmt.Errorf("check, likeness: %w", err)
	}
	return nil
}

// decide scores the candidates of a row, leaves out those that are not worth a
// question, and says what they come to.
func decide(row compared, c *matching.Comparer, judge *matching.Judge, rule catalog.MatchRule) ([]candidate, matching.Decision) {
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

func addFound(out *copyStream, row int64, list []candidate, decision matching.Decision) error {
	for i, x := range list {
		reasons, err := json.Marshal(x.score.Reasons)
		if err != nil {
			return err
		}
		out.row(8)
		out.int64(row)
		out.int32(int32(i + 1))
		out.int64(x.other)
		out.int32(int32(decision))
		out.float32(float32(x.score.Percent))
		out.jsonb(reasons)
		out.texts(x.score.Against)
		out.texts(x.score.Alike())
		if err := out.flush(); err != nil {
			return err
		}
	}
	return nil
}

// repeatAlike finds, among the rows for which nothing was found, those that
// are the same as an earlier one by likeness.
func (k *draftCheck) repeatAlike(ctx context.Context, n int, rule catalog.MatchRule) error {
	c := matching.NewComparer(k.plan.Type, rule.Alike)
	if err := k.stageKeys(ctx, c, k.unsettled("q")+` and not exists (select from `+k.stage("repeats")+` x where x.row_no = q.row_no)`); err != nil {
		return err
	}
	keys := k.stage("keys")
	if err := k.run("repeats", k.equalRows(c)); err != nil {
		return err
	}
	freq, err := k.frequencies(ctx, keys, 2)
	if err != nil {
		return err
	}
	freq.Prior = matching.PriorRows
	if err := k.blockPairs(keys, "row_no", ` and r.other < d.row_no`); err != nil {
		return err
	}
	query := `select p.row_no, p.other, d.values, r.values from ` + k.stage("pairs") + ` p join ` + keys + ` d using (row_no) join ` + keys + ` r on r.row_no = p.other order by p.row_no`
	if err := k.score(ctx, query, c, freq, rule); err != nil {
		return err
	}
	found := k.stage("found")
	// Many means that several earlier rows are it, which are then one another's
	// repeats: the first of them leads.
	return k.run("repeats", `analyze `+found,
		fmt.Sprintf(`insert into %s select row_no, min(other) from %s where decision in (%d, %d) and percent >= %v group by row_no on conflict do nothing`, k.stage("repeats"), found, matching.Found, matching.Many, takeAtOf(rule)),
		fmt.Sprintf(`insert into %s select row_no, %s, %d, count(*), max(percent) from %s where decision = %d group by row_no`, k.stage("questions"), lit(string(verdict.AskRepeat)), n, found, matching.Doubtful),
		fmt.Sprintf(`insert into %s select row_no, place, null, other, percent, reasons, against, alike from %s where decision = %d`, k.stage("candidates"), found, matching.Doubtful),
		`drop table `+found, `drop table `+k.stage("pairs"))
}

// equalRows is the SQL that finds rows equal in all that is compared where they
// are more than blocking takes; there need be no score for them.
func (k *draftCheck) equalRows(c *matching.Comparer) string {
	names, others := c.Telling()
	filled := func(at []int) string {
		var parts []string
		for _, i := range at {
			parts = append(parts, fmt.Sprintf(`d.values[%d] <> ''`, i+1))
		}
		return `(` + strings.Join(parts, " or ") + `)`
	}
	if len(names) == 0 || len(others) == 0 {
		return ""
	}
	return fmt.Sprintf(`insert into %s select d.row_no, g.lead from %s d join (select values, min(row_no) as lead from %s group by values having count(*) > %d) g on g.values = d.values
		where d.row_no <> g.lead and %s and %s on conflict do nothing`, k.stage("repeats"), k.stage("keys"), k.stage("keys"), mostSharing, filled(names), filled(others))
}

func takeAtOf(rule catalog.MatchRule) float64 {
	takeAt, _ := rule.Bounds()
	return takeAt
}
