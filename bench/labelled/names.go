package labelled

import "strings"

// tongue is what names and addresses of a language area are made of. All of it
// is invented or as common as can be.
type tongue struct {
	country, language, dial string
	women, men, families    []string
	starts, ends            []string // of rarer family names and of towns
	roads                   []string // with %s for the name
	short                   map[string]string
	forms                   []string // of companies
	kinds                   []string // of businesses
	postal                  string   // shape, 9 for a figure
}

var tongues = []tongue{
	{country: "NO", language: "nb", dial: "+47",
		women: f("Marit Kirsten Ingrid Solveig Kari Åse Hilde Berit Randi Tone Silje Ragnhild Liv Gunn Anne Kristin Elin Turid Bjørg Astrid"),
		men: f("Ola Lars Knut Bjørn Øyvind Svein Terje Håkon Magnus Geir Per Jan Leif Odd Trond Stein " +
			"Rune Eirik Sigurd Kåre"), families: f("Hansen Johansen Olsen Larsen Andersen Pedersen Nilsen Kristiansen Jensen " +
			"Karlsen Berg Haugen Hagen Solberg Moen Strand Bakke Lie Dahl Lund Øksnes Sæther Nordlie Tangvald Myrvang"),
		starts: f("Sol Nord Vest Hauge Strand Bjørke Furu Grøn Lang Skog Tang Myr Sund Vik Ås Eide Fjell Hol Kvam " +
			"Lyng Rønn Stor Øst Brek"), ends: f("vik nes berg land heim dal vold lie moen stad rud haug set øy"),
		roads: []string{"%sveien", "%sgata", "%s gate", "%sbakken"}, short: m("veien:vn. gata:gt."), forms: f("AS ASA DA"),
		kinds: f("Marina Båthavn Verft Seilforening Båtservice"), postal: "9999"},
	{country: "SE", language: "sv", dial: "+46",
		women: f("Karin Anna Kerstin Ulla Birgitta Ingrid Eva Elsa Annika Maria Margareta Lena Helena Åsa Gunilla Märta Astrid Siv Elin Moa"),
		men: f("Lars Karl Anders Johan Per Nils Erik Sven Göran Bengt Åke Björn Stig Ola Mats Lennart " +
			"Gustav Olof Håkan Rolf"), families: f("Andersson Johansson Karlsson Nilsson Eriksson Larsson Olsson Persson " +
			"Svensson Gustafsson Lindberg Lindström Bergström Sandberg Sjöberg Åkesson Öberg Strandberg Ekdahl Holmvik"),
		starts: f("Lind Berg Sjö Ek Sand Hall Norr Söder Väst Öst Ström Å Björk Alm Hag Lund Rosen Stål Ceder Malm"),
		ends:   f("berg ström gren kvist dahl lund vall qvist mark stedt holm blad hed"),
		roads:  []string{"%sgatan", "%svägen", "%s väg", "%sgränd"}, short: m("gatan:g. vägen:v."), forms: f("AB HB"),
		kinds: f("Gästhamn Marina Båtvarv Båtklubb Segelsällskap"), postal: "999 99"},
	{country: "DK", language: "da", dial: "+45",
		women: f("Mette Kirsten Hanne Anne Lene Inge Karen Susanne Gitte Maren Birthe Tine Pia Else Sofie Dorthe Lise Ulla Bodil Signe"),
		men: f("Peter Jens Lars Michael Henrik Thomas Søren Jan Niels Christian Jørgen Ole Poul Mads Morten Rasmus " +
			"Bjarne Kaj Torben Anders"), families: f("Jensen Nielsen Hansen Pedersen Andersen Christensen Larsen Sørensen " +
			"Rasmussen Jørgensen Madsen Møller Holm Kjær Rønsholt Skov Bruun Lauritsen Toft Bech"),
		starts: f("Røn Skov Lund Kjær Ny Øster Vester Sønder Bak Brun Grøn Høj Lang Mølle Stor Sand"),
		ends:   f("holt gaard bjerg toft lund strup sted rup holm skov dal bæk"),
		roads:  []string{"%svej", "%sgade", "%s Allé", "%sstræde"}, short: m("vej:vj. gade:gd."), forms: f("A/S ApS"),
		kinds: f("Lystbådehavn Marina Bådeværft Sejlklub Havnekontor"), postal: "9999"},
	{country: "DE", language: "de", dial: "+49",
		women: f("Anna Ursula Elisabeth Katharina Gabriele Susanne Sabine Monika Ulrike Petra Jutta Käthe Brigitte Heike " +
			"Birgit Renate Martina Johanna Franziska Christine"),
		men: f("Hans Peter Wolfgang Klaus Jürgen Michael Thomas Stefan Andreas Günther Johannes Heinrich Matthias Christian " +
			"Jörg Friedrich Uwe Wilhelm Bernhard Joachim"), families: f("Müller Schmidt Schneider Fischer Weber Meyer Wagner " +
			"Becker Schulz Hoffmann Schäfer Koch Bauer Richter Klein Wolf Schröder Neumann Krüger Groß Jäger Köhler Böhm Weiß Vogt"),
		starts: f("Schil Leucht Stein Brau Wal Hin Grau Ober Unter Kalt Lang Roth Schön Wei Hafer Blu Krä Stör Eich Birk"),
		ends:   f("fer ner mann berger hoff bach müller thal stein born holz huber meier städt ing"),
		roads:  []string{"%sstraße", "%sweg", "%s Straße", "Am %s", "%sallee"}, short: m("straße:str. Straße:Str."),
		forms: []string{"GmbH", "AG", "KG", "GmbH & Co. KG", "e.V."},
		kinds: f("Yachthafen Werft Bootsbau Segelclub Marina"), postal: "99999"},
	{country: "NL", language: "nl", dial: "+31",
		women: f("Maria Johanna Anna Cornelia Elisabeth Margriet Wilhelmina Hendrika Sanne Femke Marijke Ineke Annemiek " +
			"Lotte Anouk Tineke Els Hanneke Carla Saskia"),
		men: f("Jan Johannes Cornelis Hendrik Willem Pieter Gerrit Jacobus Dirk Maarten Bas Ruben Sjoerd Teun Kees Jeroen " +
			"Wouter Joost Bart Thijs"), families: []string{"de Jong", "Jansen", "de Vries", "van den Berg", "Bakker",
			"van Dijk", "Visser", "Smit", "Meijer", "de Boer", "Mulder", "de Groot", "Bos", "Vos", "Peters", "Hendriks",
			"van Leeuwen", "Dekker", "Brouwer", "de Wit", "van der Kade", "Ruijter"},
		starts: f("Water Hout Groen Zand Duin Veen Broek Wijk Kerk Oude Nieuw Hage Linde Over Rijn Schel"),
		ends:   f("man stra berg huis veld horst kamp meer hoek dam burg donk"),
		roads:  []string{"%sstraat", "%sweg", "%skade", "%slaan"}, short: m("straat:str. weg:wg."),
		forms: f("B.V. N.V. V.O.F."), kinds: f("Jachthaven Marina Scheepswerf Zeilvereniging Watersport"), postal: "9999 AB"},
	{country: "GB", language: "en", dial: "+44",
		women: f("Elizabeth Margaret Catherine Susan Jennifer Patricia Rebecca Victoria Samantha Christine Deborah " +
			"Alexandra Rowena Agnes Helen Jessica Dorothy Abigail Eleanor Judith"),
		men: f("William Robert James Richard Thomas Michael Andrew Christopher Edward Anthony David Daniel Matthew Joseph " +
			"Stephen Benjamin Nicholas Samuel Ewan Geoffrey"), families: f("Smith Jones Taylor Brown Williams Wilson Johnson " +
			"Davies Robinson Wright Thompson Evans Walker White Roberts Green Hall Wood Clarke Saltmarsh Brineham Waverley"),
		starts: f("Salt Brine Ash Thorn Whit Black Hart Wave Stan West Nor Lang Beck Crow Dun Fair Glen Hol Kirk Lock"),
		ends:   f("marsh ham ley ton ford well wood worth field by bourne stead croft gate shaw"),
		roads:  []string{"%s Street", "%s Road", "%s Lane", "%s Avenue", "%s Close"},
		short:  m("Street:St Road:Rd Lane:Ln Avenue:Ave"), forms: f("Ltd Limited PLC LLP"),
		kinds: f("Marina Boatyard Moorings Sailing-Club Harbour"), postal: "ZZ9 9AB"},
	{country: "FR", language: "fr", dial: "+33",
		women: f("Marie Françoise Catherine Isabelle Nathalie Sylvie Hélène Sophie Véronique Chloé Léa Émilie Aurélie " +
			"Jacqueline Geneviève Claire Céline Élodie Margaux Thérèse"),
		men: f("Jean Pierre Michel André Philippe François Jérôme Rémi Étienne Laurent Frédéric Benoît Antoine Olivier " +
			"Guillaume Stéphane Christophe Gérard Loïc Yves"), families: f("Martin Bernard Dubois Thomas Robert Richard Petit " +
			"Durand Leroy Moreau Simon Laurent Lefèvre Michel Garcia Roux Fournier Girard Lefebvre Mercier Boulanger"),
		starts: f("Beau Clair Mont Haut Roche Fontaine Ville Grand Long Val Saint Mal Per Char Des Gi"),
		ends:   f("champ mont val ville court rault nier teau chard vais gny lier"),
		roads:  []string{"rue de %s", "avenue %s", "boulevard %s", "quai %s"}, short: m("avenue:av. boulevard:bd"),
		forms: f("SARL SA SAS"), kinds: f("Port Chantier-Naval Club-Nautique Marina"), postal: "99999"},
	{country: "ES", language: "es", dial: "+34", women: []string{"María", "Carmen", "Ana María", "Josefa", "Isabel",
		"Dolores", "Pilar", "Teresa", "Rosa", "Cristina", "Lucía", "Concepción", "Mercedes", "Elena", "Beatriz", "Inés"},
		men: []string{"Antonio", "José", "Manuel", "Francisco", "Juan", "David", "José Luis", "Jesús", "Javier", "Ignacio",
			"Rafael", "Miguel", "Ángel", "Fernando", "Joaquín", "Andrés"}, families: []string{"García López", "Fernández",
			"González Ruiz", "Rodríguez", "López", "Martínez Gil", "Sánchez", "Pérez Vega", "Gómez", "Martín", "Jiménez",
			"Hernández", "Díaz Mora", "Moreno", "Muñoz", "Álvarez", "Romero Sanz", "Núñez"},
		starts: f("Alta Monte Villa Torre Cas Val Mira Agui Ber Can Del Fuen Oli Rob Sal"),
		ends:   f("mira verde rroja lar ñeda cona tejo ledo vares rranz nedo"),
		roads:  []string{"Calle %s", "Avenida %s", "Paseo %s", "Plaza %s"}, short: m("Calle:C/ Avenida:Avda. Paseo:Pº"),
		forms: f("S.L. S.A."), kinds: f("Puerto Marina Astillero Club-Náutico"), postal: "99999"},
	{country: "IT", language: "it", dial: "+39",
		women: f("Maria Anna Giuseppina Rosa Angela Giovanna Teresa Lucia Francesca Chiara Alessandra Paola Elena Martina Silvia Caterina"),
		men: f("Giuseppe Giovanni Antonio Mario Luigi Francesco Angelo Vincenzo Alessandro Roberto Salvatore Lorenzo " +
			"Niccolò Matteo Andrea Riccardo"), families: []string{"Rossi", "Russo", "Ferrari", "Esposito", "Bianchi",
			"Romano", "Colombo", "Ricci", "Marino", "Greco", "Bruno", "Gallo", "Conti", "De Luca", "Costa", "Giordano",
			"Mancini", "Della Torre"},
		starts: f("Monta Bella Castel Ver Gri Lom Mar Pas San Tor Val Cam Bo Fa"),
		ends:   f("gnani betti rini letti tini rossi zzoni chini vento lupo gari"),
		roads:  []string{"Via %s", "Viale %s", "Corso %s", "Piazza %s"}, short: m("Viale:V.le Corso:C.so Piazza:P.za"),
		forms: f("S.r.l. S.p.A. S.n.c."), kinds: f("Porto Cantiere Marina Circolo-Nautico"), postal: "99999"},
	{country: "PL", language: "pl", dial: "+48",
		women: f("Anna Maria Katarzyna Małgorzata Agnieszka Barbara Ewa Krystyna Elżbieta Joanna Zofia Magdalena Teresa Janina Łucja Bożena"),
		men: f("Jan Andrzej Piotr Krzysztof Stanisław Tomasz Paweł Józef Marcin Marek Michał Grzegorz Jerzy " +
			"Tadeusz Wojciech Łukasz"), families: f("Nowak Kowalski Wiśniewski Wójcik Kowalczyk Kamiński Lewandowski Zieliński " +
			"Szymański Woźniak Dąbrowski Kozłowski Jankowski Mazur Krawczyk Zając Król Wróbel"),
		starts: f("Brzo Gra Jaw Kal Lip Mal Ol Pio Rad Sos Tar Wil Zab Dob"),
		ends:   f("zowski bowski nicki czak czyk wiak decki lewski rski nowicz"),
		roads:  []string{"ul. %s", "al. %s", "pl. %s"}, short: m("ul.:ulica al.:aleja"),
		forms: []string{"Sp. z o.o.", "S.A."}, kinds: f("Marina Port Stocznia Klub-Żeglarski"), postal: "99-999"},
	{country: "FI", language: "fi", dial: "+358",
		women: f("Maria Helena Johanna Anneli Kaarina Marjatta Liisa Päivi Tuula Hannele Aino Sinikka Riitta Leena Elina Sari"),
		men:   f("Juhani Johannes Mikael Matti Olavi Antero Tapio Kalevi Pekka Jukka Timo Heikki Jari Väinö Eero Seppo"),
		families: f("Korhonen Virtanen Mäkinen Nieminen Mäkelä Hämäläinen Laine Heikkinen Koskinen Järvinen Lehtonen " +
			"Lehtinen Saarinen Salminen Niemi Heinonen Lokkila"),
		starts: f("Lokki Koski Saari Mäki Järvi Kallio Ranta Laakso Harju Suo Vesi Kivi Lahti Metsä"),
		ends:   f("nen la maa ranta vuori lampi oja niemi kangas salo"),
		roads:  []string{"%skatu", "%stie", "%skuja", "%spolku"}, short: m("katu:k. tie:t."), forms: f("Oy Oyj Ky"),
		kinds: f("Venesatama Marina Telakka Pursiseura"), postal: "99999"},
	{country: "GR", language: "el", dial: "+30",
		women: f("Μαρία Ελένη Αικατερίνη Βασιλική Σοφία Αγγελική Γεωργία Δήμητρα Κωνσταντίνα Παρασκευή Άννα Ιωάννα Ευαγγελία Χριστίνα"),
		men: f("Γεώργιος Ιωάννης Κωνσταντίνος Δημήτριος Νικόλαος Παναγιώτης Βασίλειος Χρήστος Αθανάσιος Μιχαήλ Ευάγγελος " +
			"Σπυρίδων Θεόδωρος Αντώνιος"), families: f("Παπαδόπουλος Παπαδάκης Γεωργίου Οικονόμου Νικολάου Δημητρίου " +
			"Κωνσταντίνου Βασιλείου Αθανασίου Καραγιάννης Μακρής Αγγελόπουλος Θαλασσινός Καπετανάκης"),
		starts: f("Παπα Καρα Χατζη Θαλασσο Μαυρο Κοντο Μακρυ Ασπρο"),
		ends:   f("γιάννης δάκης πουλος νικολής σάββας θανάσης λιάς μάρκος"),
		roads:  []string{"%s", "Οδός %s", "Λεωφόρος %s"}, short: m("Λεωφόρος:Λεωφ."), forms: f("ΑΕ ΕΠΕ ΟΕ"),
		kinds: f("Μαρίνα Ναυπηγείο Λιμενικό Ναυτικός-Όμιλος"), postal: "999 99"},
}

func f(s string) []string { return strings.Fields(s) }

func m(s string) map[string]string {
	out := map[string]string{}
	for pair := range strings.FieldsSeq(s) {
		long, short, _ := strings.Cut(pair, ":")
		out[long] = short
	}
	return out
}

// fondNames are short forms for some of the names above, as people use them;
// not all of them are in the product's own list.
var fondNames = map[string][]string{
	"Elizabeth": f("Liz Beth Lizzie"), "Margaret": f("Maggie Peggy Meg"), "Catherine": f("Cathy Kate"),
	"Susan": f("Sue"), "Jennifer": f("Jenny Jen"), "Patricia": f("Pat Trish"), "Rebecca": f("Becky"),
	"Victoria": f("Vicky Tori"), "Samantha": f("Sam"),
	"Deborah": f("Debbie"), "Alexandra": f("Alex Sandra"), "Dorothy": f("Dot"), "Abigail": f("Abby"),
	"Eleanor": f("Ellie"), "William": f("Bill Will Billy"), "Robert": f("Bob Rob"), "James": f("Jim Jamie"),
	"Richard": f("Dick Rick"), "Thomas": f("Tom Tommy"),
	"Michael": f("Mike Micha Michi"), "Andrew": f("Andy Drew"), "Christopher": f("Chris Kit"), "Edward": f("Ed Ted"),
	"Anthony": f("Tony"), "David": f("Dave"), "Daniel": f("Dan"), "Matthew": f("Matt"), "Joseph": f("Joe"),
	"Stephen": f("Steve"), "Benjamin": f("Ben"), "Nicholas": f("Nick"), "Samuel": f("Sam"), "Geoffrey": f("Geoff"),
	"Hans": f("Hansi"), "Wolfgang": f("Wolf"), "Johannes": f("Hannes Hans"), "Heinrich": f("Heinz Heiner"),
	"Matthias": f("Matze Hias"), "Andreas": f("Andi"), "Friedrich": f("Fritz"), "Wilhelm": f("Willi"),
	"Joachim": f("Jochen Achim"), "Katharina": f("Kathi Käthe"), "Gabriele": f("Gabi"), "Susanne": f("Susi"),
	"Franziska": f("Franzi"), "Elisabeth": f("Lisa Elli"), "Ulrike": f("Uli Rike"),
	"Johanna": f("Jo Hanna"), "Hendrik": f("Henk"), "Cornelis": f("Kees Cor"), "Willem": f("Wim"),
	"Jacobus": f("Jaap Koos"), "Cornelia": f("Corrie"), "Francisco": f("Paco Fran"), "José": f("Pepe"),
	"Ignacio": f("Nacho"), "Dolores": f("Lola"), "Concepción": f("Concha"), "Giuseppe": f("Beppe Pino"),
	"Luigi": f("Gigi"), "Francesca": f("Franca"), "Alessandro": f("Sandro Ale"),
	"Katarzyna": f("Kasia"), "Małgorzata": f("Gosia"), "Agnieszka": f("Aga"), "Krzysztof": f("Krzysiek"),
	"Wojciech": f("Wojtek"), "Grzegorz": f("Grzesiek"), "Nils": f("Nisse"), "Karl": f("Kalle"), "Lars": f("Lasse"),
	"Margareta": f("Greta"), "Juhani": f("Jussi"), "Γεώργιος": f("Γιώργος"), "Ιωάννης": f("Γιάννης"),
	"Κωνσταντίνος": f("Κώστας"), "Δημήτριος": f("Δημήτρης Μίμης"), "Αικατερίνη": f("Κατερίνα"),
	"Νικόλαος": f("Νίκος"), "Παναγιώτης": f("Πάνος Τάκης"), "Βασίλειος": f("Βασίλης"), "Kirsten": f("Kirsti"),
	"Christine": f("Chris Tina"), "Michel": f("Michou"),
}

// plainLetters is how people type letters that their keyboard lacks.
var plainLetters = strings.NewReplacer("ä", "ae", "ö", "oe", "ü", "ue", "ß", "ss", "Ä", "Ae", "Ö", "Oe", "Ü", "Ue",
	"å", "aa", "Å", "Aa", "ø", "oe", "Ø", "Oe", "æ", "ae", "Æ", "Ae")
var bareLetters = strings.NewReplacer("ä", "a", "ö", "o", "ü", "u", "ß", "ss", "Ä", "A", "Ö", "O", "Ü", "U",
	"å", "a", "Å", "A", "ø", "o", "Ø", "O", "æ", "ae", "Æ", "Ae", "é", "e", "è", "e", "ê", "e", "ë", "e", "É", "E", "á",
	"a", "í", "i", "ó", "o", "ú", "u", "ñ", "n", "ç", "c", "ï", "i", "î", "i", "ô", "o", "ò", "o", "ł", "l", "Ł",
	"L", "ś", "s", "ń", "n", "ó", "o", "ą", "a", "ę", "e", "ż", "z", "ź", "z", "ć", "c", "Ż", "Z", "Á", "A")
var greekLetters = strings.NewReplacer("ου", "ou", "αι", "ai", "ει", "ei", "οι", "oi", "μπ", "mp", "ντ", "nt", "γγ",
	"ng", "Α", "A", "Ά", "A", "Β", "V", "Γ", "G", "Δ", "D", "Ε", "E", "Έ", "E", "Ζ", "Z", "Η", "I", "Θ", "Th", "Ι", "I",
	"Κ", "K", "Λ", "L", "Μ", "M", "Ν", "N", "Ξ", "X", "Ο", "O", "Ό", "O", "Π", "P", "Ρ", "R", "Σ", "S", "Τ", "T",
	"Υ", "Y", "Φ", "F", "Χ", "Ch", "Ψ", "Ps", "Ω", "O",
	"α", "a", "ά", "a", "β", "v", "γ", "g", "δ", "d", "ε", "e", "έ", "e", "ζ", "z", "η", "i", "ή", "i", "θ", "th",
	"ι", "i", "ί", "i", "ϊ", "i", "κ", "k", "λ", "l", "μ", "m", "ν", "n", "ξ", "x", "ο", "o", "ό", "o", "π", "p",
	"ρ", "r", "σ", "s", "ς", "s", "τ", "t", "υ", "y", "ύ", "y", "φ", "f", "χ", "ch", "ψ", "ps", "ω", "o", "ώ", "o")
