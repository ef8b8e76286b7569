package suggest

import (
	"fmt"
	"strings"
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/sheet"
)

// routineOf gives what the routine that is suggested for a sheet takes each field from. Columns
// are given as header and cells.
func routineOf(t *testing.T, typeName string, columns ...string) map[string]string {
	t.Helper()
	c, err := catalog.Standard()
	if err != nil {
		t.Fatal(err)
	}
	rt, _ := c.Type(typeName)
	var list []sheet.Column
	for n, col := range columns {
		header, cells, _ := strings.Cut(col, "=")
		var samples []string
		for _, s := range strings.Split(cells, "|") {
			if s != "" {
				samples = append(samples, s)
			}
		}
		list = append(list, sheet.Column{Position: n, Header: header, Filled: int64(len(samples)),
			Distinct: int64(len(samples)), Longest: 20, Samples: samples})
	}
	out := map[string]string{}
	for field, o := range Routine(rt, Columns(rt, list, nil)).Drafts[0].Fields {
		out[field] = strings.Join(o.From, " + ")
	}
	return out
}

// What one field holds is joined from the columns that it stands in.
func TestJoinedColumns(t *testing.T) {
	const firm, street = "Firma=Tern AG|Skarv GmbH|Kelp KG", "Straße=Hauptstr.|Am Kai|Hafenweg"
	for _, x := range []struct {
		of      string
		columns []string
		field   string
		want    string
	}{
		{"account", []string{firm, street, "Hausnr.=3|12|7a"}, "street", "Straße + Hausnr."},
		{"staff", []string{"Name=Havnes|Ferris|Neumann", "Vorname=Ingrid|Tom|Lena",
			"E-Mail=a@x.example|b@x.example|c@x.example"}, "name", "Vorname + Name"},
		{"staff", []string{"First name=Ingrid|Tom|Lena", "Last name=Havnes|Ferris|Neumann",
			"E-mail=a@x.example|b@x.example|c@x.example"}, "name", "First name + Last name"},
		{"staff", []string{"Name=Ingrid Havnes|Tom Ferris|Lena Neumann", "Vorname=Ingrid|Tom|Lena",
			"E-Mail=a@x.example|b@x.example|c@x.example"}, "name", "Name"},
		{"account", []string{firm, "Address 1=Flat 2|The Loft|3 Quay St", "Address 2=Anchor House||Old Town",
			"Address 3=3 Marine Parade||", "Town=Oban|Bridport|Lyme"}, "street", "Address 1 + Address 2 + Address 3"},
		{"account", []string{firm, "Addr line 1=Flat 2|3 Quay St", "Addr line 2=Anchor House|", "City=Oban|Lyme"},
			"street", "Addr line 1 + Addr line 2"},
		{"account", []string{firm, "Adresse=Am Kai 4|Hafenweg 2", "Adresse 2=Hinterhaus|3. OG", "Ort=Kiel|Husum"},
			"street", "Adresse + Adresse 2"},
		// where is the town?
		{"account", []string{firm, "Billing Street=3 Quay St|1 Parade", "Billing Street 2=Unit 4|", "Billing City=Oban|Lyme"},
			"street", "Billing Street + Billing Street 2"},
		{"account", []string{firm, "Address 1=Flat 2|3 Quay St", "Address 2=Anchor House|Lyme"}, "street", "Address 1"},
		// a place
		{"account", []string{firm, "Adresse 1=Am Kai 4|Hafenweg 2", "Adresse 2=24103 Kiel|25813 Husum", "Ort=Kiel|Husum"},
			"street", "Adresse 1"},
		// mailboxes
		{"account", []string{firm, "Address 1=3 Quay St|4 Quay St", "Address 2=a@x.example|b@x.example", "City=Oban|Lyme"},
			"street", "Address 1"},
		{"contact", []string{"Titel=Dr.||Prof. Dr.", "Anrede=Frau|Herr|Frau", "Name=Ada Kade|Per Lund|Ute Berg"}, "honorific",
			"Anrede + Titel"},
		{"contact", []string{"Titel=Einkauf|Technik|Büro", "Anrede=Frau|Herr|Frau", "Name=Ada Kade|Per Lund|Ute Berg"},
			"honorific", "Anrede"},
		{"contact", []string{"First name=Ada|Per|Bo", "Last name=Kade|Lund|Berg", "Suffix=Jr.||III"}, "family_name",
			"Last name + Suffix"},
		{"contact", []string{"First name=Ada|Per|Bo", "Last name=Kade|Lund|Berg", "Suffix=PhD|MBA|MSc"}, "family_name",
			"Last name"},
		{"account", []string{firm, "Phone=0131 496 0123|0131 496 0124|0131 496 0125", "Ext.=12|101|7"}, "phone",
			"Phone + Ext."},
		{"account", []string{firm, "Telefon=0431 55 12 40|0431 55 12 41|0431 55 12 42", "Durchwahl=12|101|7"}, "phone",
			"Telefon + Durchwahl"},
		{"account", []string{firm, "Phone=0131 496 0123|0131 496 0124|0131 496 0125",
			"Ext.=0131 496 0123|0131 496 0124|0131 496 0125"}, "phone", "Phone"},
		{"account", []string{firm, "Vorwahl=0431|04561|01", "Rufnummer=55 12-0|5551 23|555 01 99"}, "phone",
			"Vorwahl + Rufnummer"},
		{"account", []string{firm, "Country code=+47|+44|+49", "Phone=55 12 00 11|131 496 0123|431 555 123"}, "phone",
			"Country code + Phone"},
		{"account", []string{firm, "Ländervorwahl=+49|+43|+41", "Vorwahl=431|1|44", "Telefon=55 12-0|5551 23|555 01 99"}, "phone",
			"Ländervorwahl + Vorwahl + Telefon"},
		// they have it
		{"account", []string{firm, "Vorwahl=0431|04561|01", "Telefon=0431 55 12-0|04561 5551|01 555 01 99"}, "phone",
			"Telefon"},
		// it is the one of an address
		{"account", []string{firm, "Country code=NO|GB|DE", "Phone=55 12 00 11|131 496 0123|431 555 123"}, "phone", "Phone"},
		{"account", []string{firm, "Huisnummer=3|12|7a", "Straat=Kade|Dam|Singel"}, "street", "Straat + Huisnummer"},
		{"account", []string{firm, "House no=3|12|7a", "Street=Kade|Dam|Singel"}, "street", "House no + Street"},
		{"account", []string{firm, street, "Nr.=3|12|7a"}, "street", "Straße + Nr."},
		// it stands elsewhere
		{"account", []string{"Nr.=3|12|7", firm, street}, "street", "Straße"},
		// the numbers are there
		{"account", []string{firm, "Straße=Hauptstr. 3|Am Kai 12|Hafenweg 7", "Nr.=301|312|377"}, "street", "Straße"},
		{"account", []string{firm, street, "Hausnr.=ja|nein|ja"}, "street", "Straße"},
		{"contact", []string{"Voornaam=Jan|Piet|Klaas", "Tussenvoegsel=van der||de", "Achternaam=Berg|Vries|Boer"},
			"family_name", "Tussenvoegsel + Achternaam"},
		{"contact", []string{"Achternaam=Berg|Vries|Boer", "Tussenvoegsel=van der||de", "Voornaam=Jan|Piet|Klaas"},
			"family_name", "Tussenvoegsel + Achternaam"},
		{"contact", []string{"Nombre=Carmen|José|Iñaki", "1er apellido=García|Fernández|Gómez",
			"2º apellido=Pérez||Etxeberria"}, "family_name", "1er apellido + 2º apellido"},
		{"contact", []string{"nombre=Carmen|José|Iñaki", "apellido1=García|Fernández|Gómez",
			"apellido2=Pérez||Etxeberria"}, "family_name", "apellido1 + apellido2"},
		{"staff", []string{"nombre=Carmen|José|Iñaki", "apellidos=García Pérez|Fernández|Gómez", "iniciales=CG|JF|IG"}, "name",
			"nombre + apellidos"},
		{"staff", []string{"Name=Ingrid Havnes|Tom Ferris|Lena Neumann", "Surname=Havnes|Ferris|Neumann"}, "name", "Name"},
		{"contact", []string{"Nombre=Carmen|José|Iñaki", "Apellidos=García|Fernández|Gómez"}, "family_name", "Apellidos"},
		{"account", []string{"Société=Ponant SARL|Vent SA|Miel SAS",
			"Adresse=Quai des Brumes|ZA du Port|Place de la Mairie", "CP=29200|17000|83000"}, "street", "Adresse"},
		{"account", []string{"Ragione sociale=Onda Srl|Bianchi snc|Venti SpA",
			"Indirizzo=Via del Porto|Lungomare C. Colombo|P.zza Mare", "N. civico=12/B|s.n.c.|3"}, "street",
			"Indirizzo + N. civico"},
		{"contact", []string{"Société=Ponant SARL|Vent SA|Miel SAS",
			"NOM Prénom=LE GOFF Yann|DE LA TOUR Anne-Sophie|Service technique"}, "family_name", "NOM Prénom"},
		// A name beside a family name is a given one, and none of a company.
		{"account", []string{"Razón social=Brava, S.L.|Astilleros SA|Gómez C.B.", "Nombre=Carmen|José|Iñaki",
			"Apellidos=García|Fernández|Gómez"}, "name", "Razón social"},
		{"account", []string{"Name=Tern AG|Skarv GmbH|Kelp KG", "Nachname=Berg|Li|Ek"}, "name", "Name"},
	} {
		if got := routineOf(t, x.of, x.columns...)[x.field]; got != x.want {
			t.Errorf("%s of %q: from %q, want %q", x.field, fmt.Sprint(x.columns), got, x.want)
		}
	}
}

// Of several columns of one name the second is not what another record has of the same kind.
func TestSecondOfSeveral(t *testing.T) {
	c, err := catalog.Standard()
	if err != nil {
		t.Fatal(err)
	}
	account, _ := c.Type("account")
	contact, _ := c.Type("contact")
	var columns []sheet.Column
	for n, h := range []string{"Société", "Prénom", "Nom", "Adresse 1", "Adresse 2"} {
		samples := [][]string{{"Ponant SARL", "Vent SA"}, {"Yann", "Anne"}, {"Le Goff", "Tour"},
			{"12 quai des Brumes", "ZA du Port"}, {"BP 45", "Bât. C"}}[n]
		columns = append(columns, sheet.Column{Position: n, Header: h, Filled: 2, Distinct: 2, Longest: 20, Samples: samples})
	}
	for _, s := range NewView(columns).Across([]Target{{Draft: "contact", Type: contact},
		{Draft: "account", Type: account}}) {
		if s.Column == "Adresse 2" && s.Taken {
			t.Errorf("%s is taken for the %s of the %s", s.Column, s.Field, s.Draft)
		}
	}
}
