// Package catalog describes record types, their fields, choices and rules as
// values. The standard types are one embedded document; types and fields of a
// customer's own are the same values, and nothing else tells them apart. The
// package knows no database and no face.
package catalog

import (
	_ "embed"
	"fmt"
	"hash/crc32"
	"regexp"
	"slices"
	"strings"

	"uchi/internal/core/fault"
	"uchi/internal/core/rights"

	"gopkg.in/yaml.v3"
)

// Choice is one allowed value of a choice field.
type Choice struct {
	Code   string   `json:"code" yaml:"code"`
	Label  string   `json:"label" yaml:"label"`
	Other  []string `json:"other,omitempty" yaml:"other,omitempty"` // other spellings
	Closed bool     `json:"closed,omitempty" yaml:"closed,omitempty"`
}

// Field is one typed attribute of a record type.
type Field struct {
	Name     string    `json:"name" yaml:"name"`
	Label    string    `json:"label" yaml:"label"`
	Help     string    `json:"help,omitempty" yaml:"help,omitempty"`
	Type     FieldType `json:"type" yaml:"type"`
	Required bool      `json:"required,omitempty" yaml:"required,omitempty"`
	Key      bool      `json:"key,omitempty" yaml:"key,omitempty"` // unique when filled
	// its normal form is kept and indexed, but need not be unique
	Lookup bool `json:"lookup,omitempty" yaml:"lookup,omitempty"`
	// most characters, 0 means the type's own limit
	Length    int      `json:"length,omitempty" yaml:"length,omitempty"`
	Precision int      `json:"precision,omitempty" yaml:"precision,omitempty"` // digits after the decimal sign
	Default   string   `json:"default,omitempty" yaml:"default,omitempty"`
	Choices   []Choice `json:"choices,omitempty" yaml:"choices,omitempty"`
	To        string   `json:"to,omitempty" yaml:"to,omitempty"` // the record type that a reference points to
	Synonyms  []string `json:"synonyms,omitempty" yaml:"synonyms,omitempty"`
	// as what it is compared by likeness; empty leaves it to the type
	Likeness Likeness `json:"likeness,omitempty" yaml:"likeness,omitempty"`
	// its choices go forward in their order: an earlier one over a later one is doubtful
	Ordered bool `json:"ordered,omitempty" yaml:"ordered,omitempty"`
	// what its texts are, where likeness does not say so
	Holds   Holding `json:"holds,omitempty" yaml:"holds,omitempty"`
	Own     bool    `json:"own,omitempty" yaml:"own,omitempty"`         // added by the customer
	Retired bool    `json:"retired,omitempty" yaml:"retired,omitempty"` // no longer filled; its values stay
	// names that it had before, which routines may still use
	Was []string `json:"was,omitempty" yaml:"was,omitempty"`
	// what the customer has changed of a standard field
	Changed []Part `json:"changed,omitempty" yaml:"changed,omitempty"`
	// The least role that may see what stands in the field, and that may fill it; empty
	// for every viewer, and every operator.
	SeenBy   rights.Role `json:"seen_by,omitempty" yaml:"seen_by,omitempty"`
	FilledBy rights.Role `json:"filled_by,omitempty" yaml:"filled_by,omitempty"`
}

// Normalised reports whether a normal form of the field is kept beside it.
func (f Field) Normalised() bool { return f.Key || f.Lookup }

// MaxLength is the most characters that the field takes; 0 is no limit.
func (f Field) MaxLength() int {
	if f.Length > 0 {
		return f.Length
	}
	return f.Kind().MaxLength
}

// Digits is how many digits the field keeps behind the decimal sign.
func (f Field) Digits() int {
	if f.Precision > 0 {
		return f.Precision
	}
	return f.Kind().Digits
}

// RecordRule is a CEL condition that every record must meet, with the message
// shown when it does not.
type RecordRule struct {
	Name      string `json:"name" yaml:"name"`
	Condition string `json:"condition" yaml:"condition"`
	Message   string `json:"message" yaml:"message"`
	Field     string `json:"field,omitempty" yaml:"field,omitempty"` // where the message is shown
}

// RecordType is a kind of record.
type RecordType struct {
	Name   string `json:"name" yaml:"name"`
	Label  string `json:"label" yaml:"label"`
	Plural string `json:"plural" yaml:"plural"`
	Prefix string `json:"prefix" yaml:"prefix"` // of the id, such as CON
	// words in headers that say a column is of this type
	Synonyms []string `json:"synonyms,omitempty" yaml:"synonyms,omitempty,flow"`
	// the fields that name a record, joined by a space
	Title  []string     `json:"title" yaml:"title"`
	Fields []Field      `json:"fields" yaml:"fields"`
	Match  []MatchRule  `json:"match" yaml:"match"`
	Rules  []RecordRule `json:"rules,omitempty" yaml:"rules,omitempty"`
	// the yes-or-no field that says whether a record is still there to be linked to, such as of staff who have left
	InUse string `json:"in_use,omitempty" yaml:"in_use,omitempty"`
	// how it is seen that what a row would make is there as a record of another type
	Known []KnownAs `json:"known,omitempty" yaml:"known,omitempty"`
	// how its records are told on the timeline of those that they point to
	Timeline *Timeline `json:"timeline,omitempty" yaml:"timeline,omitempty"`
	Version  int       `json:"version" yaml:"version,omitempty"` // counts changes of this description
	Own      bool      `json:"own,omitempty" yaml:"own,omitempty"`
	// what the customer has changed of a standard type
	Changed []Part `json:"changed,omitempty" yaml:"changed,omitempty"`
	// names of fields that are kept from who looks; see Catalog.SeenBy
	Kept []string `json:"-" yaml:"-"`
}

// Timeline says how records of a type, such as notes and attachments, stand on the
// timeline of the records that they point to: by the names of their fields.
type Timeline struct {
	Text string `json:"text" yaml:"text"`
	At   string `json:"at,omitempty" yaml:"at,omitempty"`     // when it was, of the record's making when blank
	By   string `json:"by,omitempty" yaml:"by,omitempty"`     // who said so
	File string `json:"file,omitempty" yaml:"file,omitempty"` // what hangs on it
}

// Fields lists the fields that the timeline shows.
func (l Timeline) Fields() []string {
	return slices.DeleteFunc([]string{l.Text, l.At, l.By, l.File}, func(name string) bool { return name == "" })
}

// KnownAs says when somebody or something that a row would make a record of is there
// already as a record of another type: a lead who is a contact, a lead's company that
// is an account.
type KnownAs struct {
	Type string `json:"type" yaml:"type"`
	// fields of this type that equal fields of the other
	Fields map[string]string `json:"fields" yaml:"fields,flow"`
	Means  Find              `json:"means,omitempty" yaml:"means,omitempty"` // what is done then; take when empty
}

// Knowns lists what can be done with a row that is known as a record of another type:
// it is loaded all the same and told, held, or left out.
var Knowns = []Find{Take, Hold, Skip}

// FieldAs finds the first field that is compared as something; ok is false when
// there is none.
func (t RecordType) FieldAs(l Likeness) (f Field, ok bool) {
	i := slices.IndexFunc(t.Fields, func(f Field) bool { return f.ComparedAs() == l })
	if i < 0 {
		return Field{}, false
	}
	return t.Fields[i], true
}

// FieldLabels names fields as people read them, a comma between.
func (t RecordType) FieldLabels(names []string) string {
	labels := make([]string, len(names))
	for n, name := range names {
		labels[n] = name
		if f, ok := t.Field(name); ok {
			labels[n] = f.Label
		}
	}
	return strings.Join(labels, ", ")
}

// Field finds a field by name, also one that is retired.
func (t RecordType) Field(name string) (Field, bool) {
	i := slices.IndexFunc(t.Fields, func(f Field) bool { return f.Name == name })
	if i < 0 {
		return Field{}, false
	}
	return t.Fields[i], true
}

// Places gives the places of the fields among those of the type, by their names, and by those that they had: a name
// that one has now is of that one.
func (t RecordType) Places() map[string]int {
	places := map[string]int{}
	for n, f := range t.Fields {
		for _, was := range f.Was {
			places[was] = n
		}
	}
	for n, f := range t.Fields {
		places[f.Name] = n
	}
	return places
}

// Now gives the present name of a field that may have been renamed.
func (t RecordType) Now(name string) string {
	if _, ok := t.Field(name); ok {
		return name
	}
	for _, f := range t.Fields {
		if slices.Contains(f.Was, name) {
			return f.Name
		}
	}
	return name
}

// Offered gives the record type without its retired fields, and without the
// match rules that need one.
func (t RecordType) Offered() RecordType {
	retired := func(name string) bool {
		f, ok := t.Field(name)
		return ok && f.Retired
	}
	out := t
	out.Fields = slices.DeleteFunc(slices.Clone(t.Fields), func(f Field) bool { return f.Retired })
	out.Match = nil
	for _, r := range t.Match {
		r.Alike = slices.DeleteFunc(slices.Clone(r.Alike), retired)
		if !slices.ContainsFunc(r.Fields, retired) && len(r.Uses()) > 0 {
			out.Match = append(out.Match, r)
		}
	}
	return out
}

// RecordID writes an id the way people see it, such as CON-1042.
func (t RecordType) RecordID(id int64) string { return fmt.Sprintf("%s-%d", t.Prefix, id) }

// ErrRecordID says that a text is not an id of the record type.
var ErrRecordID = fault.New(fault.Invalid, "not_a_record_id", "this is not a record id of the type")

// ParseRecordID reads an id such as CON-1042; case and a missing hyphen do not
// matter, the prefix does.
func (t RecordType) ParseRecordID(s string) (int64, error) {
	s = strings.ToUpper(strings.TrimSpace(s))
	rest, ok := strings.CutPrefix(s, strings.ToUpper(t.Prefix))
	if ok {
		rest = strings.TrimPrefix(rest, "-")
		var id int64
		for _, c := range rest {
			if c < '0' || c > '9' || id > 1e15 {
				id = 0
				break
			}
			id = id*10 + int64(c-'0')
		}
		if id > 0 {
			return id, nil
		}
	}
	return 0, ErrRecordID.With(s).Mended(fmt.Sprintf("An id of %s looks like %s.", t.Plural, t.RecordID(1042)))
}

// Catalog is all record types of a workspace.
type Catalog struct {
	// Nothing lists texts that stand for nothing in the workspace, beside those that
	// do everywhere.
	Nothing []string `json:"nothing,omitempty"`

	Types []RecordType `json:"types" yaml:"types"`
}

// Type finds a record type by name.
func (c Catalog) Type(name string) (RecordType, bool) {
	i := slices.IndexFunc(c.Types, func(t RecordType) bool { return t.Name == name })
	if i < 0 {
		return RecordType{}, false
	}
	return c.Types[i], true
}

// Pointing is a field by which records of one type point to those of another.
type Pointing struct {
	Type  RecordType
	Field Field
}

// PointingTo lists the fields of a catalogue that point to records of a type.
func (c Catalog) PointingTo(typeName string) (list []Pointing) {
	for _, t := range c.Types {
		for _, f := range t.Fields {
			if f.Kind().Form == LinkForm && f.To == typeName {
				list = append(list, Pointing{t, f})
			}
		}
	}
	return list
}

// OnlyIn reports whether no other type than the one given has a field of this name.
func (c Catalog) OnlyIn(typeName, field string) bool {
	for _, t := range c.Types {
		if _, has := t.Field(field); has && t.Name != typeName {
			return false
		}
	}
	return true
}

// Edition counts the changes of all record types together: it differs whenever one
// of them has changed.
func (c Catalog) Edition() (n int64) {
	for _, t := range c.Types {
		n += int64(t.Version)
	}
	if len(c.Nothing) > 0 {
		n += int64(crc32.ChecksumIEEE([]byte(strings.Join(c.Nothing, "\n")))) << 16
	}
	return n
}

// Offered gives the catalogue without retired fields.
func (c Catalog) Offered() Catalog {
	out := Catalog{Nothing: c.Nothing, Types: make([]RecordType, len(c.Types))}
	for i, t := range c.Types {
		out.Types[i] = t.Offered()
	}
	return out
}

// MustType finds a record type or gives the fault that names those there are.
func (c Catalog) MustType(name string) (RecordType, error) {
	t, ok := c.Type(name)
	if !ok {
		var names []string
		for _, t := range c.Types {
			names = append(names, t.Name)
		}
		return t, fault.New(fault.NotFound, "unknown_record_type", "there is no such record type").With(name).
			Mended("Record types here: " + strings.Join(names, ", ") + ".")
	}
	return t, nil
}

//go:embed standard.yaml
var standard []byte

// Standard gives the record types with which every workspace starts.
func Standard() (Catalog, error) {
	var doc struct {
		Words map[string][]string `yaml:"words"` // anchors for the synonyms
		Types []RecordType        `yaml:"types"`
	}
	if err := yaml.Unmarshal(standard, &doc); err != nil {
		return Catalog{}, fmt.Errorf("standard record types: %w", err)
	}
	c := Catalog{Types: doc.Types}
	for i := range c.Types {
		c.Types[i].Version = 1
		if err := c.CheckType(c.Types[i]); err != nil {
			return Catalog{}, fmt.Errorf("standard record types: %w", err)
		}
	}
	return c, nil
}

var nameShape = regexp.MustCompile(`^[a-z][a-z0-9_]{0,39}$`)
var prefixShape = regexp.MustCompile(`^[A-Z][A-Z0-9]{1,5}$`)

// Reserved names stand for what every record has, so no field may take them.
var Reserved = []string{"id", "version", "created_at", "created_by", "changed_at", "changed_by", "import"}

// CheckField says whether a field may be added to t in this catalogue.
func (c Catalog) CheckField(t RecordType, f Field) error {
	bad := func(code, message, value, mend string) error {
		return fault.New(fault.Invalid, code, message).At(fault.Place{Path: t.Name + "." + f.Name}).With(value).Mended(mend)
	}
	switch {
	case !nameShape.MatchString(f.Name):
		return bad("bad_name", "a field's name starts with a small letter and holds small letters, digits and "+
			"underscores, at most 40", f.Name, "For example: berth_number.")
	case slices.Contains(Reserved, f.Name):
		return bad("reserved_name", "every record already has this under the same name", f.Name, "Take another name.")
	case strings.TrimSpace(f.Label) == "":
		return bad("label_missing", "a field needs a label", "", "Give the words that people read above the column.")
	case !slices.Contains(FieldTypes, f.Type):
		return bad("unknown_field_type", "there is no such field type", string(f.Type),
			fmt.Sprintf("Field types: %v.", FieldTypes))
	case f.Kind().Choices && len(f.Choices) == 0:
		return bad("choices_missing", "a choice field needs its choices", "", "Give at least one code and label.")
	case f.Type == Reference && f.To != t.Name:
		if _, ok := c.Type(f.To); !ok {
			return bad("unknown_record_type", "the reference points to a record type that is not there", f.To, "")
		}
	}
	if f.Key && !f.Kind().Key {
		return bad("bad_key", "a field of this type cannot be a key", string(f.Type),
			fmt.Sprintf("Keys are of one of the types %v.", KeyTypes()))
	}
	seen := map[string]bool{}
	for _, ch := range f.Choices {
		if ch.Code == "" || seen[ch.Code] {
			return bad("bad_choice", "every choice needs a code of its own", ch.Code, "")
		}
		if f.Type == Choices && strings.ContainsAny(ch.Code, ";|\n") {
			return bad("bad_choice", "where a record may have several choices, no code has what stands between them", ch.Code,
				"Take a code without a semicolon, a stroke or a line break.")
		}
		seen[ch.Code] = true
	}
	return t.checkLimits(f)
}

// CheckType says whether a record type is sound within this catalogue.
func (c Catalog) CheckType(t RecordType) error {
	bad := func(code, message, value string) error {
		return fault.New(fault.Invalid, code, message).At(fault.Place{Path: t.Name}).With(value)
	}
	if !nameShape.MatchString(t.Name) {
		return bad("bad_name", "a record type's name starts with a small letter and holds small letters, digits and "+
			"underscores, at most 40", t.Name)
	}
	if !prefixShape.MatchString(t.Prefix) {
		return bad("bad_prefix", "an id prefix is two to six capital letters or digits", t.Prefix)
	}
	seen := map[string]bool{}
	for _, f := range t.Fields {
		if seen[f.Name] {
			return bad("field_exists", "there are two fields of this name", f.Name)
		}
		seen[f.Name] = true
		if err := c.CheckField(t, f); err != nil {
			return err
		}
	}
	if len(t.Title) == 0 {
		return bad("title_missing", "a record type names the fields that make its title", "")
	}
	for _, name := range t.Title {
		if !seen[name] {
			return bad("unknown_field", "the title names a field that is not there", name)
		}
	}
	for _, r := range t.Match {
		if err := t.CheckMatchRule(r); err != nil {
			return err
		}
	}
	if f, ok := t.Field(t.InUse); t.InUse != "" && (!ok || f.Type != YesNo) {
		return bad("unknown_field", "what says whether a record is in use is a yes-or-no field", t.InUse)
	}
	if t.Timeline != nil {
		for _, name := range t.Timeline.Fields() {
			if !seen[name] {
				return bad("unknown_field", "the timeline names a field that is not there", name)
			}
		}
	}
	for _, k := range t.Known {
		if err := c.CheckKnown(t, k); err != nil {
			return err
		}
	}
	return nil
}

// CheckKnown says whether records of another type can be told by a rule.
func (c Catalog) CheckKnown(t RecordType, k KnownAs) error {
	bad := func(code, message, value, mend string) error {
		return fault.New(fault.Invalid, code, message).At(fault.Place{Path: t.Name + ".known"}).With(value).Mended(mend)
	}
	other, ok := c.Type(k.Type)
	if !ok || k.Type == t.Name {
		return bad("unknown_record_type", "a row is known as a record of another type that is there", k.Type, "")
	}
	if len(k.Fields) == 0 {
		return bad("rule_empty", "this names no fields by which the record is known", k.Type,
			"Name at least one field with that of the other type which it equals.")
	}
	for mine, theirs := range k.Fields {
		if _, ok := t.Field(mine); !ok {
			return bad("unknown_field", "the record type has no such field", mine, "")
		}
		if _, ok := other.Field(theirs); !ok {
			return bad("unknown_field", "the other record type has no such field", theirs, "")
		}
	}
	if k.Means != "" && !slices.Contains(Knowns, k.Means) {
		return bad("unknown_find", "what is known as another record cannot be treated so", string(k.Means),
			fmt.Sprintf("Choose one of %v.", Knowns))
	}
	return nil
}
