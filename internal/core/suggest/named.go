package suggest

import (
	"path"
	"slices"
	"strings"

	"uchi/internal/core/catalog"
)

// The name of a file or sheet says what its rows are, where the columns leave it open:
// people with a mailbox and a team are staff in "sales-people.csv". It weighs only for
// types of which all that is required is found.

// byName is how much it speaks for a type that the name of the sheet names its records.
const byName = 2.0

// filesOf are the words, beside the type's own, that files of its records are called
// by, in the languages of the product.
var filesOf = map[string][]string{
	"staff": {"staff", "sales people", "salespeople", "sales team", "sales reps", "reps", "employees", "colleagues",
		"owners", "sellers", "agents", "users", "mitarbeiter", "vertrieb", "verkäufer", "vertreter", "benutzer", "personal", "personnel", "équipe",
		"vendeurs", "commerciaux", "utilisateurs", "comerciales", "vendedores", "agentes", "usuarios", "empleados",
		"comerciais", "colaboradores", "venditori", "agenti", "utenti", "dipendenti", "personale", "medewerkers",
		"verkopers", "vertegenwoordigers", "gebruikers", "säljare", "användare", "sælgere", "brugere", "selgere", "brukere",
		"myyjät", "käyttäjät", "handlowcy", "sprzedawcy", "pracownicy", "użytkownicy", "obchodníci", "zaměstnanci",
		"uživatelé", "értékesítők", "munkatársak", "felhasználók", "ansatte", "anställda", "medarbejdere", "henkilöstö",
		"προσωπικό", "社員"},
	"account": {"customers", "companies", "clients", "debtors", "organisations", "organizations", "suppliers", "kunden",
		"firmen", "debitoren", "sociétés", "entreprises", "clientes",
		"empresas", "clienti", "aziende", "klanten", "bedrijven", "relaties", "kunder", "företag", "firmaer", "yritykset", "asiakkaat",
		"klienci", "firmy", "πελάτες", "会社", "顧客"},
	"contact": {"people", "persons", "contact persons", "ansprechpartner", "kontakte", "personen", "personnes",
		"contactos", "personas", "contatti", "persone", "contactpersonen", "contatos",
		"pessoas", "kontakter", "personer", "yhteyshenkilöt", "kontakty", "osoby", "επαφές", "担当者"},
	"lead": {"leads", "enquiries", "inquiries", "prospects", "visitors", "interessenten", "anfragen", "besucher",
		"visiteurs", "visitantes", "visitatori", "bezoekers", "besökare", "besøgende"},
	"opportunity": {"deals", "opportunities", "pipeline", "projects", "chancen", "projekte", "geschäfte", "affaires",
		"negocios", "oportunidades", "affari", "opportunità", "verkoopkansen", "kansen",
		"affärer", "salg", "negócios", "negociações", "oportunidades", "affärsmöjligheter", "salgsmuligheder",
		"salgsmuligheter", "myyntimahdollisuudet", "kaupat", "szanse", "szanse sprzedaży", "okazje", "trattative",
		"obchodní případy", "obchody", "příležitosti", "üzletek", "lehetőségek", "verkaufschancen", "offers", "quotations",
		"angebote", "offertes", "ofertas", "presupuestos", "preventivi", "offerte", "propostas", "tilbud", "offerter",
		"tarjoukset", "oferty", "nabídky", "ajánlatok", "ευκαιρίες", "案件"},
	"line": {"deal items", "line items", "deal lines", "order lines", "items", "positions", "positionen",
		"posten", "lignes", "líneas", "righe", "regels", "rader", "linjer", "pozycje", "itens", "artículos", "partidas",
		"voci", "rivit", "položky", "tételek", "offerteregels", "tilbudslinjer", "angebotspositionen", "明細"},
	"note": {"notes", "remarks", "journal", "diary", "notizen", "bemerkungen", "remarques", "notas", "apuntes",
		"appunti", "notities", "memo", "memos", "telefoonnotities", "anteckningar", "notater", "muistiinpanot", "notatki", "σημειώσεις",
		"history", "contact history", "log", "verlauf", "kontaktverlauf", "historie", "historique", "historial", "histórico",
		"storico", "cronologia", "contacthistorie", "historik", "kontakthistorik", "historikk", "historia", "poznámky",
		"jegyzetek", "メモ", "活動履歴", "対応履歴", "商談履歴", "interazioni", "kontaktlogg", "kontaktlog"},
	"attachment": {"attachments", "files", "documents", "anhänge", "dokumente", "dateien", "pièces jointes",
		"documents", "adjuntos", "documentos", "allegati", "documenti", "bijlagen", "bilagor", "bilag", "vedlegg",
		"liitteet", "załączniki"},
	"task": {"tasks", "visits", "calls", "activities", "to dos", "todo", "appointments", "aufgaben", "termine",
		"besuche", "tâches", "visites", "tareas", "visitas", "attività", "taken",
		"uppgifter", "oppgaver", "opgaver", "tehtävät", "zadania"},
}

// Called tells the view what the sheet is called: its name, or that of its file, each with
// whatever it stands in. The first that names a record type counts: a sheet's name says
// more than its file's, where it says anything.
func (v *View) Called(names ...string) *View {
	v.called = names
	return v
}

// named gives the record types whose records the name of the sheet names.
func (v *View) named(c catalog.Catalog) map[string]bool {
	for _, name := range v.called {
		if types := namedBy(name, c); len(types) > 0 {
			return types
		}
	}
	return nil
}

// namedBy gives the record types whose records a name names, those that it names by the
// longest words: sales people are not any people.
func namedBy(name string, c catalog.Catalog) map[string]bool {
	longest, out := 1, map[string]bool{}
	says := " " + strings.Join(tokens(ownName(name)), " ") + " "
	for _, t := range c.Types {
		for _, w := range slices.Concat(inTokens(t.Name, t.Plural, t.Label), tokensOfFiles[t.Name]) {
			if len(w) < longest || !strings.Contains(says, " "+w+" ") {
				continue
			}
			if len(w) > longest {
				longest, out = len(w), map[string]bool{}
			}
			out[t.Name] = true
		}
	}
	return out
}

// tokensOfFiles are the words of filesOf as names are compared with them.
var tokensOfFiles = func() map[string][]string {
	list := map[string][]string{}
	for name, words := range filesOf {
		list[name] = inTokens(words...)
	}
	return list
}()

func inTokens(words ...string) []string {
	list := make([]string, len(words))
	for n, w := range words {
		list[n] = strings.Join(tokens(w), " ")
	}
	return list
}

// ownName is what a sheet or file is called, without what it stands in and the ending
// that says its format.
func ownName(name string) string {
	if n := strings.LastIndex(name, " > "); n >= 0 {
		name = name[n+3:]
	}
	name = path.Base(strings.ReplaceAll(name, `\`, "/"))
	if ext := path.Ext(name); len(ext) < 7 {
		name = strings.TrimSuffix(name, ext)
	}
	return name
}
