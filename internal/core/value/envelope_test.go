package value

import "testing"

// Whom an address is of stands on the lines before its street; the names of houses are of the street.
func TestEnvelopes(t *testing.T) {
	for cell, want := range map[string]string{
		"Herrn\nDr. Peter Müller-Lüdenscheidt\nHafenstr. 12\n24103 Kiel":         "Herrn Dr. Peter Müller-Lüdenscheidt||Hafenstr. 12|Kiel",
		"Herr Peter Kade, Am Kai 5, 23730 Neustadt":                              "Herr Peter Kade||Am Kai 5|Neustadt",
		"Firma\nBootsbau Meier GmbH\nz.Hd. Frau Meier\nWerftweg 3\nD-24159 Kiel": "Frau Meier|Bootsbau Meier GmbH|Werftweg 3|Kiel",
		"Bootsbau Meier GmbH, Werftweg 3, 24159 Kiel":                            "|Bootsbau Meier GmbH|Werftweg 3|Kiel",
		"Fa. Bootsbau Meier GmbH\nAbteilung Einkauf\nWerftweg 3\n24159 Kiel":     "|Bootsbau Meier GmbH|Abteilung Einkauf, Werftweg 3|Kiel",
		"Silke Brandt\nAm Kai 5\n23730 Neustadt":                                 "Silke Brandt||Am Kai 5|Neustadt",
		"Segelclub Kieler Förde e.V.\nPostfach 1234\n24012 Kiel":                 "|Segelclub Kieler Förde e.V.|Postfach 1234|Kiel",
		"Mme Claire Lefèvre\n10 rue du Port\n17000 La Rochelle\nFrance":          "Mme Claire Lefèvre||10 rue du Port|La Rochelle",
		"Mr J. Whitlock\nHarbour House\n4 Quay Road\nAnchorby\nAB1 2CD":          "Mr J. Whitlock||Harbour House, 4 Quay Road|Anchorby",
		"Eheleute Anna und Tom Weber\nStrandweg 7\n18119 Warnemünde":             "",
		"Familie Weber, Strandweg 7, 18119 Warnemünde":                           "",
		"Rose Cottage, Mill Lane, Anchorby, AB1 2CD":                             "",
		"Harbour House\n4 Quay Road\nAnchorby\nAB1 2CD":                          "",
		"c/o Meier, Hafenstr. 12, 24103 Kiel":                                    "",
		"Hafenstr. 12, 24103 Kiel":                                               "",
		"Herrn Peter Kade":                                                       "",
		"Marina Gull\nPeter Kade\nKai 7\n24103 Kiel":                             "Peter Kade|Marina Gull|Kai 7|Kiel",
	} {
		who, p, ok := SplitEnvelope(cell)
		got := ""
		if ok {
			got = who.Person + "|" + who.Company + "|" + p.Street + "|" + p.Town
		}
		if got != want {
			t.Errorf("%q: %q, want %q", cell, got, want)
		}
	}
}

// Japanese addresses are parted where one of their parts ends and the next begins.
func TestJapaneseAddresses(t *testing.T) {
	for cell, want := range map[string]string{
		"神奈川県横浜市中区山下町1-2-3":           "神奈川県|横浜市中区|山下町1-2-3|",
		"〒231-0023 神奈川県横浜市中区山下町1-2-3": "神奈川県|横浜市中区|山下町1-2-3|231-0023",
		"東京都千代田区丸の内1-1":               "東京都|千代田区|丸の内1-1|",
		"長崎県五島市東浜町2-1-1 灯ビル3F":        "長崎県|五島市|東浜町2-1-1 灯ビル3F|",
		"横浜市中区山下町１－２－３":               "|横浜市中区|山下町１－２－３|",
		"三重県四日市市港町1":                  "三重県|四日市市|港町1|",
		"福島県郡山市本町2-3":                 "福島県|郡山市|本町2-3|",
		"奈良県大和郡山市北郡山町5":               "奈良県|大和郡山市|北郡山町5|",
		"北海道余市郡余市町黒川町8":               "北海道|余市郡余市町|黒川町8|",
		"京都府京都市中京区河原町通二条":             "京都府|京都市中京区|河原町通二条|",
		"千葉県市川市八幡1-1":                 "千葉県|市川市|八幡1-1|",
		"東京都町田市原町田4-1":                "東京都|町田市|原町田4-1|",
		"市役所の隣":                       "",
		"横浜市":                         "",
	} {
		p, ok := SplitAddress(cell)
		got := ""
		if ok {
			got = p.Region + "|" + p.Town + "|" + p.Street + "|" + p.Code
		}
		if got != want {
			t.Errorf("%s: %q, want %q", cell, got, want)
		}
	}
}
