package sheet

import (
	"testing"
)

// What programs of one country save is read with that country's letters.
func TestEncodingIsToldByTheLettersOfALanguage(t *testing.T) {
	for text, encodings := range map[string][]string{
		"Firma;Město;Osoba\nPlavební společnost;Děčín;Šárka Dvořáková\nPřístaviště Žďár;Žďár nad Sázavou;Jiří Němec\n": {"windows-1250", "iso-8859-2", "ibm852"},
		"Cég;Város;Név\nErdősi Kikötő Kft.;Győr;Szűcs Gergő\n" +
			"Balatoni Vitorlás Zrt.;Füred;Tóth Enikő\n": {"windows-1250", "iso-8859-2", "ibm852"},
		"Firma;Miasto;Osoba\nŻegluga Łódzka;Łódź;Agnieszka Wiśniewska\n" +
			"Przystań Śląska;Gliwice;Paweł Dąbrowski\n": {"windows-1250", "iso-8859-2", "ibm852"},
		"Şirket;Şehir;Kişi\nDeniz Yıldızı;İzmir;Gökçe Şahinoğlu\n" +
			"Güneş Tersanesi;Muğla;Ayşe Öztürk\n": {"windows-1254"},
		"Įmonė;Miestas;Asmuo\nŽvejų uostas;Klaipėda;Rūta Šimkutė\n" +
			"Pajūrio laivai;Šventoji;Jonas Žukauskas\n": {"windows-1257"},
		"Société;Ville;Contact\nQuai des Brumes;Nîmes;Maëlle Kerjean\n" +
			"Chantier de l’Ouest;Brest;Élodie Lefèvre\n": {"windows-1252", "macintosh"},
		"FIRMA;ORT\nMÜLLER;KÖLN\nSCHRÖDER;LÜBECK\n": {"windows-1252", "macintosh", "ibm850"},
		"Empresa;Cidade;Pessoa\nCamões Náutica;São João;Conceição Guimarães\n" +
			"Limões e Irmãos;Évora;Inês Simões\n": {"windows-1252", "macintosh", "ibm850"},
		"Firma;By;Navn\nSkærgårdens Både;Århus;Søren Kjær\n" +
			"Ørsted Havn;Køge;Åse Nørgård\n": {"windows-1252", "macintosh", "ibm850"},
		"Firma;Linn;Nimi\nLaevatehas OÜ;Pärnu;Tõnu Kõiv\n" +
			"Sadam AS;Võru;Õie Mägi\n": {"windows-1252", "macintosh"},
		"Firma;Ort\nMüller;Köln\nQuai;Orléans\nVerft;Ålesund\nAstillero Muñoz;Cádiz\nLefèvre;Nîmes\n" +
			"Skjærgård;Tromsø\n": {"windows-1252", "macintosh", "ibm850"},
		"Фирма;Город;Контакт\nПричал Южный;Одесса;Анна Бережная\nМорской вокзал;Рига;Иван Кораблёв\n" +
			"Верфь;Киев;Ольга Рыбак\n": {"windows-1251", "koi8-r"},
	} {
		for _, want := range encodings {
			enc, err := encodingByName(want)
			if err != nil {
				t.Fatal(err)
			}
			encoded, err := enc.NewEncoder().String(text)
			if err != nil {
				t.Fatalf("%s: %v", want, err)
			}
			found := detectEncoding([]byte(encoded), true).Value
			other, err := encodingByName(found)
			if err != nil {
				t.Fatal(err)
			}
			if read, _ := other.NewDecoder().String(encoded); read != text {
				t.Errorf("%s is read as %s: %.80q", want, found, read)
			}
		}
	}
}
