package value

import "strings"

// Exports of other systems carry along what was deleted there, with a column that says so.

// deletedHeaders are the names of such columns, as words without the sign between them.
var deletedHeaders = phraseSet(`struck through, deleted, is deleted, isdeleted, deleted yn, deleted flag, delete flag, deletion flag,
	deletion mark, del flag, del flg, deleted at, deleted on, date deleted, deletion date, marked for deletion,
	geloscht, ist geloscht, geloscht am, loschkennzeichen, loschkz, losch kz, loschvormerkung, zu loschen,
	supprime, est supprime, date suppression, eliminado, borrado, fecha de eliminacion, eliminato, cancellato, eliminado em,
	excluido, verwijderd, raderad, borttagen, slettet, poistettu, usuniety, skasowany, smazano, διαγραμμενο, διεγραφη,
	削除, 削除フラグ, 削除日`)

// SaysDeleted reports whether the header of a column says that it tells which records were deleted.
func SaysDeleted(header string) bool {
	return deletedHeaders[Words(strings.ReplaceAll(header, "_", " "))]
}

// IsDeleted reports whether a cell of such a column says that its record was: yes, a day, or the word itself.
func IsDeleted(cell string) bool {
	w := Fold(cell)
	switch {
	case w == "" || noWords[w] || noDates[strings.Map(onlyFigures, w)]:
		return false
	case yesWords[w], deletedHeaders[Words(cell)]:
		return true
	}
	return len(w) >= 8 && strings.ContainsAny(w, "123456789") // a day
}

// onlyFigures keeps the figures of a text.
func onlyFigures(r rune) rune {
	if r < '0' || r > '9' {
		return -1
	}
	return r
}
