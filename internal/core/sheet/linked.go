package sheet

import (
	"net/url"
	"strings"

	"uchi/internal/core/value"
)

// linking keeps the addresses behind cells of a sheet that say no more than that there is one.
type linking struct {
	behind map[string]string // by the name of the cell
	linked int64             // cells of which the address was read
}

// linkWords are what such cells say.
var linkWords = wordsOf("mail|email|e mail|e-mail|mailto|send mail|web|website|web site|webseite|homepage|site|www|url|link|" +
	"here|click here|open|visit|hier|ici|aqui|qui|her|lien|enlace|sito|sitio|hjemmeside|hemsida|kotisivu|strona|sivu|länk|lenke")

// address gives the one behind a cell that says what text does, and text where there is none, or it
// says more.
func (h *hiding) address(cell, text string) string {
	to := h.behind[cell]
	if to == "" || !linkWords[value.Words(text)] {
		return text
	}
	h.linked++
	return to
}

// linkTo gives the address of a link as people write it; empty for one within the workbook.
func linkTo(target string) string {
	if rest, ok := strings.CutPrefix(target, "mailto:"); ok {
		rest, _, _ = strings.Cut(rest, "?")
		if plain, err := url.PathUnescape(rest); err == nil {
			rest = plain
		}
		return clean(rest)
	}
	if strings.HasPrefix(target, "http://") || strings.HasPrefix(target, "https://") {
		return clean(target)
	}
	return ""
}
