// Package problem names everything that can be wrong with a cell or a row of
// an import: a stable code each, with the sentence a person reads and what
// would mend it. Problems are stored as code, place and value; the words are
// made here when they are shown, so every face says the same.
package problem

import (
	"fmt"
	"slices"
	"strings"

	"uchi/internal/core/fault"
)

// Code is a stable name of a kind of problem.
type Code string

// The codes, in the order of the reading, typing, linking and matching of a row.
const (
	RaggedRow        Code = "ragged_row"
	LoneCell         Code = "lone_cell"
	MarkedDeleted    Code = "marked_deleted"
	ControlCharacter Code = "control_character"
	BadEncoding      Code = "bad_encoding"
	Misread          Code = "misread_text"
	FormulaError     Code = "formula_error"
	DamagedNumber    Code = "damaged_number"
	RequiredMissing  Code = "required_missing"
	OtherName        Code = "other_name"
	DoubtfulValue    Code = "doubtful_value"
	BadEmail         Code = "bad_email"
	BadNumber        Code = "bad_number"
	AmbiguousNumber  Code = "ambiguous_number"
	TooPrecise       Code = "too_precise"
	OutOfRange       Code = "out_of_range"
	BadDate          Code = "bad_date"
	PartialDate      Code = "partial_date"
	DayNumber        Code = "day_number"
	DayByZone        Code = "day_by_zone"
	RoughNumber      Code = "rough_number"
	BirthAhead       Code = "birth_ahead"
	BirthLongAgo     Code = "birth_long_ago"
	BirthLately      Code = "birth_lately"
	DayAhead         Code = "day_ahead"
	FarDay           Code = "far_day"
	AmbiguousDate    Code = "ambiguous_date"
	BadYesNo         Code = "bad_yes_no"
	BadName          Code = "bad_name"
	MadeDate         Code = "made_a_date"
	MadeNumber       Code = "made_a_number"
	ShortCode        Code = "short_code"
	MisspeltDomain   Code = "misspelt_domain"
	LostLetters      Code = "lost_letters"
	NameOrder        Code = "name_order"
	BadPlace         Code = "bad_place"
	OtherPlace       Code = "other_place"
	SameAsAbove      Code = "same_as_above"
	NotToUse         Code = "not_to_use"
	LostZero         Code = "lost_zero"
	FootnoteMark     Code = "footnote_mark"
	PerhapsNothing   Code = "perhaps_nothing"
	NotAChoice       Code = "not_a_choice"
	BadPhone         Code = "bad_phone"
	BadURL           Code = "bad_url"
	BadCountry       Code = "bad_country"
	BadLanguage      Code = "bad_language"
	BadCurrency      Code = "bad_currency"
	OtherCurrency    Code = "other_currency"
	SeveralValues    Code = "several_values"
	BesideName       Code = "beside_name"
	TooLong          Code = "too_long"
	FileMissing      Code = "file_missing"
	FileSeveral      Code = "file_several"
	AboutNothing     Code = "about_nothing"
	WhenUnknown      Code = "when_unknown"
	ComputeFailed    Code = "compute_failed"
	RuleBroken       Code = "rule_broken"
	BadRecordID      Code = "bad_record_id"
	RecordMissing    Code = "record_missing"
	LinkNotFound     Code = "link_not_found"
	LinkAmbiguous    Code = "link_ambiguous"
	LinkDoubtful     Code = "link_doubtful"
	LinkApart        Code = "link_apart"
	LinkLeft         Code = "link_left"
	SeveralFound     Code = "several_found"
	DuplicateRow     Code = "duplicate_row"
	RowsDisagree     Code = "rows_disagree"
	KnownElsewhere   Code = "known_elsewhere"
	MadeBefore       Code = "made_before"
	LinkHeld         Code = "link_held"
	LinkGone         Code = "link_gone"
	KeyTaken         Code = "key_taken"
	KeyDiffers       Code = "key_differs"
	ChangedSince     Code = "changed_since_check"
	ChangedBoth      Code = "changed_on_both_sides"
	Emptied          Code = "emptied_in_sheet"
	WriteRefused     Code = "write_refused"
	StillReferred    Code = "still_referred"
	AnswerGone       Code = "answer_gone"
)

// Told lists the codes that are only told: the row loads with all that it says.
var Told = []Code{KnownElsewhere, MadeBefore, LinkLeft, Emptied, ShortCode}

type words struct{ says, mend string }

// In the sentences, {value} is the cell, {detail} what the finder adds.
var table = map[Code]words{
	RaggedRow: {"the row has more cells than the header: {detail}",
		"Look for an unquoted delimiter in this row and quote the cell, or for what makes the line no JSON object."},
	MarkedDeleted: {"the column, which goes to no field, says that this record was deleted",
		"Leave such rows out, or blank the cells where they are to be loaded all the same (uchi mend replace NUMBER " +
			"COLUMN '{value}' '')."},
	LoneCell: {"only this cell of the row is filled, as in a heading: others fill {detail}",
		"Leave the row out if it is no record, or fill in what it lacks. Where such rows are records, have them read at the " +
			"Source station (--asides read)."},
	ControlCharacter: {"the cell holds a character that text cannot carry (NUL)",
		"Remove the character, or save the sheet again from the program that made it."},
	Misread: {"the text was decoded wrongly before it came here; it seems to mean: {detail}",
		"Let such text be mended at the Source station (--misread mend), or retype the cell."},
	BadEncoding: {"the cell holds bytes that are not valid in the file's encoding",
		"Choose the right encoding at the Source station, or retype the cell."},
	FormulaError: {"the cell holds a formula's error instead of a value, or the result was not saved with it (#FORMULA!)",
		"Repair the formula in the sheet, or type the value; where results are missing, open the workbook in a " +
			"spreadsheet program and save it."},
	DamagedNumber: {"a spreadsheet program shortened this number; its last digits are lost",
		"Take the value from the original, or format the column as text before saving."},
	RequiredMissing: {"a required value is missing", "Fill in the cell, give one value for all rows at the Columns " +
		"station, or, where blank cells mean what stands above, take that in all of them at once (uchi mend above NUMBER " +
		"COLUMN --problem required_missing)."},
	OtherName: {"the record that was found by its number or key is called otherwise: {detail}",
		"Correct the number or key: a column of the sheet may have been sorted by itself. The numbers of another system " +
			"go to a key field of their own (uchi fields add TYPE NAME --key). If names have changed, have such rows taken " +
			"as they stand (--doubtful family_name=take, by the field's name)."},
	DoubtfulValue: {"{detail}", "Say at the field whether such values are taken, or correct the cell."},
	BadEmail:      {"this is not an e-mail address: {detail}", "Write it as name@domain.example."},
	BadNumber:     {"this is not a number", "Write digits with one decimal sign, such as 1250.00."},
	AmbiguousNumber: {"this can be read as two different numbers", "Say at the column, or at the Source station, which " +
		"decimal sign is used, or whether 60 is 60 % or 0.6 is."},
	TooPrecise: {"the number has more decimal places than the field keeps ({detail})", "Round it in the sheet."},
	OutOfRange: {"the number is outside what the field can hold ({detail})",
		"Check for missing decimal signs or extra digits."},
	BadDate: {"this is not a date: {detail}", "Write it as 2026-03-31, or choose the date order at the Source station."},
	PartialDate: {"this names a week, a month or a part of a year, not a day",
		"Say at the field whether its first or its last day is meant, or write the day."},
	DayNumber: {"this may be a day as spreadsheet programs count them: {detail}",
		"Say at the field that day numbers are meant (--read-as birthday=since_1900, by the field's name), or write the day."},
	DayByZone: {"this is a moment in UTC, and where it was noted it may be the beginning of " +
		"the next day: {detail}", "Set the time zone of the sheet at the Source station (--zone Europe/Oslo), or write the day alone."},
	RoughNumber: {"this says about how many, not how many", "Say at the field whether the lowest, the middle or the " +
		"highest number is meant, or write one."},
	BirthAhead: {"this day of birth lies ahead", "Write the year in full, such as 1968-04-03."},
	BirthLongAgo: {"nobody who was born on this day is alive", "Correct the year, or leave the cell blank where the " +
		"day stands for none, as 1900-01-01 does."},
	BirthLately: {"who was born on this day is a small child",
		"Write the year in full, such as 1926-05-12, or leave the cell blank where it is the day of something else."},
	DayAhead: {"this day lies ahead, and what it is the day of has happened",
		"Correct the year, or put the day into the field that it is for."},
	FarDay: {"this day lies more than a hundred years ahead",
		"Correct the year, or leave the cell blank where the day stands for none."},
	AmbiguousDate: {"this date can be read day first or month first",
		"Say at the column, or at the Source station, which comes first."},
	BadName: {"this is not a name", "Write the name here, and an address or a number in a column of its own."},
	MadeDate: {"a spreadsheet program seems to have made a date of this",
		"Take the value from the original, and format the column as text before saving. If it is right so, have such values " +
			"taken as they stand (--doubtful street=take, by the field's name)."},
	MadeNumber: {"a program seems to have written this as amounts are written, with decimals or a sign between thousands",
		"Take them away, in all of them at once (uchi mend replace NUMBER COLUMN '\\.0+$|[,’]' '' --pattern --problem " +
			"made_a_number). If it is right so, have such values taken as they stand (--doubtful source_ref=take, by the field's name)."},
	ShortCode: {"the postal code has fewer figures than those of its country: {detail}",
		"The code is loaded as it stands. Correct it or the country, or say at the field that such codes are right " +
			"(--doubtful postal_code=take, by the field's name)."},
	MisspeltDomain: {"the domain seems to be that of a well-known mail provider, misspelt: it would be {detail}",
		"Correct it, in all of them at once (such as uchi mend replace NUMBER COLUMN @gmial.com @gmail.com --part). If there is " +
			"such a domain, have these addresses taken as they stand (--doubtful email=take, by the field's name)."},
	LostLetters: {"a letter seems to be lost where a question mark, or a sign that no word has, stands",
		"Save the sheet as UTF-8 or as a workbook, or write the letter. If the sign belongs there, have such values taken " +
			"as they stand (--doubtful company=take, by the field's name)."},
	BadPlace: {"this seems to belong to another field, as where a row's cells have slipped",
		"Write the value here, and this one where it belongs. If it is right so, have such values taken as they stand " +
			"(--doubtful postal_code=take, by the field's name)."},
	OtherPlace: {"the cell says another place than the row does elsewhere: {detail}",
		"Correct one of the two. If such values are to be taken as they stand, say so at the field (--doubtful " +
			"locality=take, by the field's name)."},
	FootnoteMark: {"a mark stands beside the name, as for a footnote",
		"Take it away, in all of them at once (uchi mend replace NUMBER COLUMN '^[*†‡#¹²³]+\\s*|\\s*[*†‡#¹²³]+$' '' " +
			"--pattern --problem footnote_mark), and say in a column of its own what it means. If names are right so, " +
			"have them taken as they stand (--doubtful name=take, by the field's name)."},
	LostZero: {"a zero seems to be lost in front: it would be {detail}",
		"Format the column as text before saving, or put the zeros back in all of them at once (uchi mend replace NUMBER " +
			"COLUMN '^' 0 --pattern --problem lost_zero). If such codes are right so, have them taken as they stand (--doubtful postal_code=take)."},
	NotToUse: {"the text says that it, or its record, is not to be used",
		"Leave the row out, or write the value alone. If it is right so, have such values taken as they stand (--doubtful " +
			"name=take, by the field's name)."},
	SameAsAbove: {"this says that the value is that of the row above",
		"Write that value here, or take what stands above in all of them at once (uchi mend above NUMBER COLUMN --problem " +
			"same_as_above). If it is the value itself, have such values taken as they stand (--doubtful name=take, by the field's name)."},
	PerhapsNothing: {"this may stand for no value at all, or for a desk where somebody is named",
		"Write the value, or leave the cell blank. If it is right so, have such values taken as they stand (--doubtful " +
			"family_name=take, by the field's name)."},
	NameOrder: {"the halves of this name seem to stand the other way round: {detail}",
		"Turn them, or write a comma behind the family name. If the name is right so, have such names taken as they stand " +
			"(--doubtful family_name=take)."},
	BadYesNo:   {"this is neither yes nor no", "Write yes or no."},
	NotAChoice: {"this is not one of the field's choices", "Choose one of: {detail}."},
	BadPhone: {"this is not a phone number: {detail}", "Write it with its country code, such as +47 22 00 00 00, " +
		"or set a default country."},
	BadURL:      {"this is not a web address", "Write it as https://name.example."},
	BadCountry:  {"no country is known by this code or name", "Write the two-letter code of ISO 3166, such as NO."},
	BadLanguage: {"no language is known by this code or name", "Write the code of BCP 47, such as nb."},
	BadCurrency: {"no currency is known by this code or sign",
		"Write the three-letter code of ISO 4217, such as EUR."},
	OtherCurrency: {"the amount is in another currency than the row says: {detail}",
		"Correct one of the two, or take the currency from the amounts (--map \"amount+currency=Header\")."},
	SeveralValues: {"there are several values in a cell that takes one", "Keep one of them in the cell."},
	BesideName: {"this stands beside the name: {detail}", "Keep only the name in the cell, in all of them at " +
		"once (uchi mend replace NUMBER COLUMN " +
		"'\\s*\\([^()]*\\)$|\\s+[-–—|]\\s.*$|^\\d+\\.\\s(?:\\pL+\\.\\s)*|^(?:[[:lower:]][\\pL.]*\\.\\s)+' '' --pattern " +
		"--problem beside_name), and put the rest in a column of its own."},
	TooLong: {"the text is too long ({detail})", "Shorten it in the sheet."},
	FileMissing: {"no file of this name came with the sheet", "Send the sheet and its files in one ZIP, or as " +
		"one bundle; the cell names the file with its folder."},
	WhenUnknown: {"the word does not say which field the cell beside is for", "Write one of: {detail}, or add the word to those of a " +
		"field (--when)."},
	AboutNothing: {"the row names no record that it is about", "Fill in the cell that names the record, or place a " +
		"column on a reference."},
	FileSeveral: {"several files that differ are called {detail}",
		"Write the folder before the name, as it stands in the ZIP."},
	ComputeFailed: {"the value could not be computed: {detail}",
		"Correct the expression at the Columns station or the cells it reads."},
	RuleBroken:    {"{detail}", "Change the values so that the rule holds, or let the field be computed for all rows."},
	BadRecordID:   {"this is not an id of the record type", "An id looks like {detail}."},
	RecordMissing: {"no record has this id", "Take the id from the record browser, or leave the cell blank."},
	LinkNotFound: {"no {detail} is found by this id, key or name",
		"Correct the spelling, say which record the word means, let what is missing be created (--unreadable link=create, " +
			"by the field's name), or leave the cell blank."},
	LinkAmbiguous: {"several records answer to this: {detail}", "Say which record the word means, or write the id of " +
		"the one that is meant, or a number that only it has."},
	LinkLeft: {"{detail} is not in use any more, or has left",
		"Name somebody who is there, or load it all the same."},
	LinkDoubtful: {"it may be another company than {detail}: the name, the legal form or the place differs",
		"If it is this one, say that the word means it; else load the company first."},
	LinkApart: {"the one of this name belongs elsewhere than the row says: {detail}",
		"If it is this one, say that the word means it, or write its id; else load the one that is meant first."},
	SeveralFound: {"the row fits several records: {detail}",
		"Give the record's id, or a key that only one of them has."},
	DuplicateRow: {"the row is for the same record as row {detail}",
		"Keep one of the two, or put their values into one row. Where they are two and no key is in question, answer that " +
			"the row is new (uchi answer NUMBER ROW new)."},
	RowsDisagree: {"row {detail} is for the same record and says something else",
		"Correct one of the two, or leave it out. Where no key is in question, later rows win by the policy merge."},
	KnownElsewhere: {"it is there already, as {detail}",
		"Leave the row out, load it all the same, or put what it says into that record."},
	MadeBefore: {"the record that it would make is made before it, by {detail}",
		"Nothing is made twice: it is looked up again when that has been loaded, and changes that record. Leave the row out " +
			"if it is not to."},
	LinkHeld: {"the record that it belongs to is that of {detail}, which is not settled",
		"Mend or answer that row first, then check again."},
	LinkGone: {"the record that it points to was deleted after the check: {detail}",
		"Check again, and say to which record it belongs."},
	KeyTaken: {"another record already has this key: {detail}", "Correct the key, or match by it."},
	KeyDiffers: {"the record that was found has another key: {detail}",
		"If it is the same record, give its id; if not, correct what it was found by."},
	ChangedSince: {"the record was changed after the check ({detail})", "Check again, then load what is left."},
	ChangedBoth: {"the value was changed in the sheet and in the record: {detail}",
		"Write into the cell what is to be right."},
	Emptied: {"the cell was emptied since the sheet was made; what is there stays: {detail}",
		"To empty the value, let blank cells clear the field, or write (clear) into the cell."},
	StillReferred: {"other records point to the one that would be deleted: {detail}",
		"Let them point elsewhere first, or leave the row out."},
	AnswerGone: {"the record or row that was answered with is not there any more: {detail}",
		"Answer the question again."},
	WriteRefused: {"the record could not be written: {detail}", "Correct the row and load what is left."},
}

// Codes lists every code in a stable order.
func Codes() []Code {
	var codes []Code
	for c := range table {
		codes = append(codes, c)
	}
	slices.Sort(codes)
	return codes
}

// Problem is one thing wrong with a cell or row.
type Problem struct {
	Code   Code
	Field  string // the field that the value was for, empty for the row as a whole
	Column string // the header of the column it came from, empty when computed
	Value  string
	Detail string
	Light  bool // the row is loaded all the same, without the value
}

// Summary says in a few words what all problems of a code have in common.
func Summary(c Code) string {
	says, _, _ := strings.Cut(table[c].says, ":")
	if strings.Contains(says, "{") {
		return map[Code]string{RuleBroken: "a rule of the record type is broken",
			DuplicateRow: "the row is for the same record as an earlier one",
			TooPrecise:   "the number has too many decimal places", OutOfRange: "the number is too large or too small",
			TooLong:     "the text is too long",
			FileMissing: "no file of this name came along", FileSeveral: "several files have this name",
			AboutNothing:   "the row names no record that it is about",
			RowsDisagree:   "rows for the same record contradict each other",
			LinkHeld:       "the record that it belongs to is of a row that is not settled",
			KnownElsewhere: "what it would make is there already as a record of another type",
			MadeBefore:     "what it would make is made by another file of the bundle before, and changed by it",
			DoubtfulValue: "the record knows it better: a later date, a later stage, a mailbox at the company, a number where " +
				"the row says 0, or in another country",
			LinkLeft:     "what it points to is not in use any more, or has left",
			LinkDoubtful: "a company of this name is there, with another legal form or in another place",
			LinkNotFound: "no record is found by this id, key or name",
			ChangedSince: "the record was changed after the check",
			ChangedBoth:  "the value was changed in the sheet and in the record"}[c]
	}
	return says
}

// Message says what is wrong, in one sentence without the place.
func (p Problem) Message() string {
	return strings.TrimSuffix(strings.TrimSuffix(p.fill(table[p.Code].says), "."), ": ") // where nothing more is known
}

// Mend says what would mend it.
func (p Problem) Mend() string { return p.fill(table[p.Code].mend) }

func (p Problem) fill(s string) string {
	return strings.NewReplacer("{value}", fault.Cut(p.Value, 60), "{detail}", p.Detail).Replace(s)
}

// String joins column, value, message and remedy, as in the held rows' sheet.
func (p Problem) String() string {
	place := p.Column
	if place == "" {
		place = p.Field
	}
	if place == "" {
		place = "row"
	}
	if p.Value == "" {
		return fmt.Sprintf("%s: %s. %s", place, p.Message(), p.Mend())
	}
	return fmt.Sprintf("%s %q: %s. %s", place, fault.Cut(p.Value, 60), p.Message(), p.Mend())
}
