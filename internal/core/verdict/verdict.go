// Package verdict holds the words in which an import speaks of a row before
// (verdict) and after (outcome) the load, decides which verdict a row gets, and
// counts them. It knows no database and no face.
package verdict

import "uchi/internal/core/mapping"

// Verdict is what the check says of a row.
type Verdict string

// The verdicts.
const (
	Create Verdict = "create"
	Update Verdict = "update"
	Same   Verdict = "same"
	Skip   Verdict = "skip"
	Ask    Verdict = "ask"
	Hold   Verdict = "hold"
	Delete Verdict = "delete"
)

// All lists the verdicts in the order in which they are shown.
var All = []Verdict{Create, Update, Delete, Same, Skip, Ask, Hold}

// Outcome is what happened to a row.
type Outcome string

// The outcomes.
const (
	Created   Outcome = "created"
	Updated   Outcome = "updated"
	Unchanged Outcome = "unchanged"
	Skipped   Outcome = "skipped"
	Held      Outcome = "held"
	Failed    Outcome = "failed"
	Deleted   Outcome = "deleted"
	Undone    Outcome = "undone" // it was loaded, and has been taken back
)

// Outcomes lists the outcomes in the order in which they are shown.
var Outcomes = []Outcome{Created, Updated, Deleted, Unchanged, Skipped, Held, Failed, Undone}

// OutcomeOf is the outcome that a row's verdict leads to when nothing comes between.
func OutcomeOf(v Verdict) Outcome {
	switch v {
	case Create:
		return Created
	case Update:
		return Updated
	case Same:
		return Unchanged
	case Skip:
		return Skipped
	case Delete:
		return Deleted
	}
	return Held
}

// Case is what is known of a row when its verdict is given.
type Case struct {
	LeftOut  bool // a condition, a policy or a person leaves it out
	Problems bool // something is wrong with it
	Question bool // a person must say which record it is
	Found    bool // a record was found
	Changes  bool // the record would change
}

// Decide gives the verdict of a row.
func Decide(may mapping.May, c Case) Verdict {
	switch {
	case c.LeftOut:
		return Skip
	case c.Problems:
		return Hold
	case c.Question:
		return Ask
	case !c.Found && (may == mapping.Update || may == mapping.Delete), c.Found && may == mapping.Create:
		return Skip
	case may == mapping.Delete:
		return Delete
	case !c.Found:
		return Create
	case c.Changes:
		return Update
	}
	return Same
}

// Totals counts the rows of an import.
type Totals struct {
	Rows     int64            `json:"rows"`
	Verdicts map[string]int64 `json:"verdicts"`
	Problems []ProblemCount   `json:"problems"`
	Changes  []FieldCount     `json:"changes"`            // values that updates would change, by field
	Referred []ReferredCount  `json:"referred,omitempty"` // what points to the records that would be deleted
	Asked    []AskedCount     `json:"asked,omitempty"`    // open questions by kind
	Reasons  []ReasonCount    `json:"reasons,omitempty"`  // why rows are left out
	Drafts   []DraftCount     `json:"drafts,omitempty"`   // by draft, in the order of the routine
	// rows that are held or asked about, of which other records are written
	Partly int64 `json:"partly,omitempty"`
}

// DraftCount counts the verdicts of one of the drafts that rows make.
type DraftCount struct {
	Name     string           `json:"name"`
	Type     string           `json:"type"`
	Verdicts map[string]int64 `json:"verdicts"`
	Gone     *GoneCount       `json:"gone,omitempty"` // of children; nil when none is gone
}

// Removes tells how many of them that are gone from the source the load deletes.
func (d DraftCount) Removes() int64 {
	if d.Gone == nil || !d.Gone.Remove {
		return 0
	}
	return d.Gone.Records
}

// Removes tells how many children the load deletes that are gone from the source.
func (t Totals) Removes() (n int64) {
	for _, d := range t.Drafts {
		n += d.Removes()
	}
	return n
}

// Problem tells how often a problem of a code was noted, at whatever field.
func (t Totals) Problem(code string) (n int64) {
	for _, p := range t.Problems {
		if p.Code == code {
			n += p.Count
		}
	}
	return n
}

// GoneCount counts children of the records that the rows speak of which no row names.
type GoneCount struct {
	Records int64 `json:"records" db:"records"` // that are gone
	Of      int64 `json:"of" db:"of"`           // whose children they are
	// beside them: that a row which is held, asked about or left out may mean
	Unsure int64 `json:"unsure" db:"unsure"`
	Remove bool  `json:"remove,omitempty" db:"-"` // those that are gone are deleted when all rows are loaded
}

// ReferredCount counts records of one type that point by one field to records
// that would be deleted.
type ReferredCount struct {
	Type  string `json:"type" db:"type"`
	Field string `json:"field" db:"field"`
	Count int64  `json:"count" db:"count"`
}

// AskedCount counts questions of one kind.
type AskedCount struct {
	Kind  Question `json:"kind" db:"kind"`
	Count int64    `json:"count" db:"count"`
}

// ReasonCount counts rows that are left out for one reason.
type ReasonCount struct {
	Reason Reason `json:"reason" db:"reason"`
	Count  int64  `json:"count" db:"count"`
}

// ProblemCount counts the rows that have one problem at one field.
type ProblemCount struct {
	Code  string `json:"code" db:"code"`
	Field string `json:"field" db:"field"`
	Count int64  `json:"count" db:"count"`
	Light bool   `json:"light,omitempty" db:"light"` // the rows are loaded without the value
}

// FieldCount counts something by field.
type FieldCount struct {
	Field string `json:"field" db:"field"`
	Count int64  `json:"count" db:"count"`
	Over  int64  `json:"over" db:"over"` // of these, how many replace a value that is there
}

// Marks are the shapes that stand for verdicts and outcomes wherever they are
// shown, so that colour is never the only sign.
var marks = map[string]string{
	"create": "●", "created": "●", "update": "◐", "updated": "◐", "same": "○", "unchanged": "○",
	"skip": "–", "skipped": "–", "delete": "⊘", "deleted": "⊘", "ask": "?", "hold": "■", "held": "■", "failed": "✕",
	"undone": "↶",
}

// Mark gives the shape of a verdict or outcome.
func Mark(word string) string { return marks[word] }
