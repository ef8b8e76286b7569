package value

import "strings"

// ownNames are towns, regions and islands by what they are called elsewhere, without accents and in small
// letters: what they are called at home before a colon, the others behind it.
var ownNames = func() map[string]string {
	names := map[string]string{}
	for line := range strings.Lines(`
kobenhavn: copenhagen copenhague copenaghen kopenhagen kopenhaga copenhaga
munchen: munich monaco_di_baviera monachium
koln: cologne colonia keulen kolonia
nurnberg: nuremberg norimberga
hannover: hanover
braunschweig: brunswick
wien: vienna vienne viena wenen
zurich: zurigo zuerich
geneve: geneva genf ginebra ginevra genebra
luzern: lucerne lucerna
basel: bale basilea basle
bern: berne berna
milano: milan mailand milaan mediolan
roma: rome rom rzym
venezia: venice venedig venise venecia wenecja
firenze: florence florenz florencia florencja
napoli: naples neapel napels
genova: genoa genes genua
torino: turin
livorno: leghorn
siracusa: syracuse
lisboa: lisbon lissabon lisbonne lisbona lizbona
porto: oporto
sevilla: seville siviglia
zaragoza: saragossa
a_coruna: la_coruna corunna
donostia: san_sebastian donostia_san_sebastian
bruxelles: brussels brussel bruselas bruksela
antwerpen: antwerp anvers amberes anversa
gent: ghent gand
brugge: bruges
den_haag: the_hague s_gravenhage la_haye la_haya haag
vlissingen: flushing
goteborg: gothenburg
malmo: malmoe
helsinki: helsingfors
turku: abo
vaasa: vasa
tallinn: reval
warszawa: warsaw warschau varsovie varsovia
gdansk: danzig
szczecin: stettin
krakow: cracow krakau
wroclaw: breslau
praha: prague prag praga
plzen: pilsen
budapest: budapeszt
bucuresti: bucharest bukarest
beograd: belgrade belgrad
rijeka: fiume
athina: athens athen athenes atenas atene ateny αθηνα
thessaloniki: salonica salonika saloniki
peiraias: piraeus piraus pireas pireo
kerkyra: corfu korfu
rodos: rhodes rhodos
irakleio: heraklion iraklion
istanbul: estambul
izmir: smyrna
moskva: moscow moskau moscou
kyiv: kiev kiew
sankt_peterburg: st_petersburg saint_petersburg
dublin: baile_atha_cliath
cardiff: caerdydd
swansea: abertawe
strasbourg: strassburg strasburgo
nice: nizza
marseille: marsella marsiglia marseilles
lyon: lyons lione
dunkerque: dunkirk
bayern: bavaria baviere baviera
niedersachsen: lower_saxony
sachsen: saxony saxe
hessen: hesse
thuringen: thuringia
nordrhein_westfalen: north_rhine_westphalia nrw
rheinland_pfalz: rhineland_palatinate
mecklenburg_vorpommern: mecklenburg_western_pomerania
toscana: tuscany toskana toscane
lombardia: lombardy lombardei
sardegna: sardinia sardinien sardaigne
sicilia: sicily sizilien sicile
piemonte: piedmont
liguria: ligurien
puglia: apulia
cataluna: catalonia katalonien catalunya catalogne
andalucia: andalusia andalusien
bretagne: brittany
normandie: normandy
corse: corsica korsika
skane: scania
sjaelland: zealand seeland
jylland: jutland
fyn: funen
`) {
		own, others, _ := strings.Cut(strings.TrimSpace(line), ":")
		for other := range strings.FieldsSeq(others) {
			names[strings.ReplaceAll(other, "_", " ")] = strings.ReplaceAll(own, "_", " ")
		}
	}
	return names
}()

// OwnNames gives what towns and regions are called at home by what they are called elsewhere, in
// small letters and without accents; other names are not in it.
func OwnNames() map[string]string { return ownNames }

// OwnName gives what a town or a region is called at home, in small letters and without accents, where a text is
// what it is called elsewhere; others are as they are.
func OwnName(s string) string {
	if own, ok := ownNames[Words(s)]; ok {
		return own
	}
	return s
}
