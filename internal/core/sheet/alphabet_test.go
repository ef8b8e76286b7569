package sheet

import (
	"strings"
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
		"Εταιρεία;Πόλη;Επαφή\nΝαυπηγεία Ιονίου;Πειραιάς;Άννα Ρήγα\nΌμιλος Σούδας;Χανιά;Έλλη Νικολάου\n": {"windows-1253", "iso-8859-7"},
		"会社名,役職,氏名,〒,住所,TEL,備考\n株式会社カモメ造船,部長,佐藤 健一,231-0023,横浜市中区山下町1-2-3,045-681-0001,\n" +
			"灯マリーナ,代表取締役,鈴木 美咲,853-0015,長崎県五島市東浜町2-1-1 灯ビル3F,0959-72-0001,見積依頼中\n": {"shift_jis", "euc-jp", "iso-2022-jp"},
		"氏名,会社\n田中太郎,カモメ造船\n":                                      {"shift_jis", "euc-jp", "iso-2022-jp"},
		"ﾌﾘｶﾞﾅ,氏名\nｻﾄｳ,佐藤\nｽｽﾞｷ,鈴木\nﾀｶﾊｼ,高橋\n":                     {"shift_jis", "euc-jp"},
		"会社名;都道府県;担当者\n潮見造船㈱;東京都;高橋\n碇崎;大阪府;伊藤\n":                  {"shift_jis"},
		"公司名称,联系人,地址\n海鸥造船有限公司,王小明,上海市浦东新区\n灯塔游艇俱乐部,李华,北京市朝阳区\n":   {"gbk"},
		"회사명,담당자,주소\n갈매기조선 주식회사,김민수,서울특별시 강남구\n등대요트클럽,이영희,부산광역시\n": {"euc-kr"},
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

// Single quotes are found where they stand around the lines, and not where names have them.
func TestSingleQuotes(t *testing.T) {
	for text, want := range map[string]string{
		"'First','Last','Company'\n'Kari','Nordmann','Quay, Ltd'\n'Per','O''Hara','Tern'\n": "Kari|Nordmann|Quay, Ltd",
		"'a';'b'\r\n'1';'2'\r\n\r\n":                      "1|2",
		"Name,Town\n'Gull,'s-Hertogenbosch'\nTern,Oslo\n": "'Gull|'s-Hertogenbosch'",
		"\"First\",\"Last\"\n\"'Kari\",\"Nordmann'\"\n":   "'Kari|Nordmann'",
	} {
		rows, _ := rowsOf(t, text, Reading{})
		if _, first, _ := strings.Cut(rows[0], " "); first != want {
			t.Errorf("%q: %q, want %q", text, first, want)
		}
	}
}
