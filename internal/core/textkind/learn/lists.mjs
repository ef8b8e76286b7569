// Writes texts of each kind as JSON, from the locales of an npm package of open data.
// The same version writes the same lists, byte for byte: where it draws lots, the
// seed is fixed.
import { createRequire } from "node:module";

const require = createRequire(new URL("../../../../web/package.json", import.meta.url));
const { allLocales, Faker } = require("@faker-js/faker");

const names = { givens: [], families: [] }; // all of them, each word by itself
const lists = { given: [], family: [], full: [], company: [], street: [], town: [], job: [], phrase: [] };
const most = 900; // of a kind, from one locale
const legal = {
  de: ["GmbH", "AG", "GmbH & Co. KG", "e.K."], fr: ["SARL", "SA", "SAS"], es: ["S.L.", "S.A."], it: ["S.r.l.", "S.p.A."], nl: ["B.V.", "N.V."],
  pl: ["Sp. z o.o.", "S.A."], sv: ["AB"], da: ["A/S", "ApS"], nb_NO: ["AS", "ASA"], fi: ["Oy", "Oyj"], pt_PT: ["Lda.", "S.A."], el: ["Α.Ε.", "Ε.Π.Ε."],
  cs_CZ: ["s.r.o.", "a.s."], hu: ["Kft.", "Zrt."], ro: ["S.R.L."], tr: ["A.Ş.", "Ltd. Şti."], ja: ["株式会社"], en: ["Ltd", "Inc.", "LLC", "plc", "& Sons"],
};
const trades = ["Marine", "Metall", "Logistics", "Logistik", "Food", "Foods", "Textil", "Bau", "Tech", "Solutions", "Holding", "Services", "Trading", "Handel", "Industrie", "Packaging", "Systems", "Energy", "Print",
  "Agro", "Transport", "Elektro", "Mecanica", "Alimentos", "Industria", "Trasporti", "Legno", "Drewno", "Druk", "Metal", "Kemi", "Trä", "Bygg", "Bouw", "Techniek", "Verpakkingen", "Group", "Partners", "Joinery", "Fasteners", "Castings"];

const texts = (x) => {
  if (!x) return [];
  if (Array.isArray(x)) return x.map((y) => (typeof y === "string" ? y : y?.value)).filter(Boolean);
  return Object.values(x).flatMap(texts);
};
const clean = (list) => [...new Set(list.filter((s) => typeof s === "string" && s.length > 1 && !s.includes("{{")))].sort();

for (const [code, locale] of Object.entries(allLocales).sort(([a], [b]) => (a < b ? -1 : 1))) {
  if (code === "base" || code === "en_BORK" || code === "dv") continue;
  const f = new Faker({ locale: [locale, allLocales.en, allLocales.base] });
  f.seed(11);
  const own = locale.person ?? {};
  const given = clean(texts(own.first_name));
  const family = clean(texts(own.last_name));
  names.givens.push(...given);
  names.families.push(...family);
  const pick = (list, n) => f.helpers.arrayElements(list, Math.min(n, list.length));
  lists.given.push(...pick(given, most));
  lists.family.push(...pick(family, most));
  if (given.length && family.length) {
    for (let n = 0; n < 500; n++) {
      const [g, l] = [f.helpers.arrayElement(given), f.helpers.arrayElement(family)];
      lists.full.push(n % 6 === 0 ? `${l}, ${g}` : n % 11 === 0 ? `${l} ${g}` : n % 13 === 0 ? `${g} ${g[0]}. ${l}` : `${g} ${l}`);
    }
    const forms = legal[code] ?? legal[code.split("_")[0]] ?? legal.en;
    for (let n = 0; n < 300; n++) {
      const l = f.helpers.arrayElement(family);
      const t = f.helpers.arrayElement(trades);
      const form = f.helpers.arrayElement(forms);
      lists.company.push([`${l} ${t} ${form}`, `${l} ${form}`, `${t} ${l}`, `${l} & ${f.helpers.arrayElement(family)} ${form}`, `${l} ${t}`][n % 5]);
    }
  }
  const tries = (make, n, to) => {
    for (let k = 0; k < n; k++) {
      try {
        to.push(make());
      } catch {
        return;
      }
    }
  };
  if (locale.company) tries(() => f.company.name(), 200, lists.company);
  if (locale.location?.street_pattern || locale.location?.street_name || locale.location?.street_suffix) {
    tries(() => f.location.streetAddress(), 400, lists.street);
    tries(() => f.location.street(), 60, lists.street);
  }
  if (locale.location?.city_name) lists.town.push(...pick(clean(texts(locale.location.city_name)), most));
  else if (locale.location?.city_pattern) tries(() => f.location.city(), 200, lists.town);
  // Phrases: words that are no names, a few behind each other, the first perhaps with a capital.
  const words = clean([...texts(locale.lorem?.word), ...texts(locale.company?.adjective), ...texts(locale.company?.noun), ...texts(locale.commerce?.product_name), ...texts(locale.commerce?.department), ...texts(locale.color?.human)]).map((w) => w.toLowerCase());
  if (words.length > 20) {
    for (let n = 0; n < 500; n++) {
      const some = f.helpers.arrayElements(words, 2 + (n % 5)).join(n % 9 === 0 ? "; " : " ");
      lists.phrase.push(n % 3 === 0 ? some : some[0].toUpperCase() + some.slice(1));
    }
  }
  if (own.job_title || own.job_title_pattern || own.job_type) tries(() => f.person.jobTitle(), 300, lists.job);
}
// Names of the far east as they are written in Latin letters, which the lists have in their own.
const words = (text) => text.trim().split(/\s+/);
names.families.push(
  ...words(`Abe Aoki Arai Endo Fujita Fujii Fujimoto Fukuda Goto Hara Harada Hasegawa Hashimoto Hayashi Higuchi Hirano Honda Ikeda Imai Inoue Ishida Ishii Ishikawa Ito Iwasaki Kaneko Kato Kawaguchi Kikuchi Kimura Kobayashi Kojima Kondo
    Kudo Maeda Maruyama Masuda Matsuda Matsui Matsumoto Miura Miyamoto Miyazaki Mori Morita Murakami Murata Nagata Nakagawa Nakajima Nakamura Nakano Nakayama Nishimura Noguchi Nomura Oda Ogawa Okada Okamoto Ono Ota Otsuka Saito Sakai Sakamoto
    Sakurai Sasaki Sato Shibata Shimada Shimizu Sugawara Sugiyama Suzuki Takada Takagi Takahashi Takeda Takeuchi Tamura Tanaka Taniguchi Ueda Ueno Uchida Wada Watanabe Yamada Yamaguchi Yamamoto Yamashita Yamazaki Yokoyama Yoshida
    Ahn Bae Baek Bang Byun Cha Chae Cho Choi Chun Eom Gong Gu Gwak Ha Ham Han Heo Hong Hur Hwang Hyun Im Jang Jeon Jeong Jo Joo Jung Kang Kim Ko Koo Kwak Kwon Lim Moon Na Nam Noh Oh Paik Pak Park Roh Ryu Seo Shim Shin Sohn Suh Yeo Yeom Yoo Yoon Yun
    Bai Cai Cao Chang Chen Cheng Chiang Chou Chu Cui Dai Deng Ding Dong Du Duan Fan Fang Feng Fu Gao Gong Gu Guo Hao He Hou Hsu Hu Huang Jia Jiang Jin Kong Lai Lei Li Liang Liao Lin Ling Liu Long Lu Luo Lv Ma Mao Meng Mo Pan Peng Qian Qin Qiu
    Ren Shao Shen Shi Song Su Sun Tan Tang Tao Tian Tsai Wan Wang Wei Wen Wong Wu Xia Xiang Xiao Xie Xiong Xu Xue Yan Yang Yao Ye Yi Yin Yu Yuan Zeng Zhan Zhang Zhao Zheng Zhong Zhou Zhu Zou
    Bui Cao Dang Dinh Do Doan Duong Ho Hoang Huynh Lam Le Luong Mai Ngo Nguyen Pham Phan Ta Thai Tran Trinh Truong Vo Vu Vuong`),
);
names.givens.push(
  ...words(`Akiko Akira Asuka Atsushi Aya Ayaka Ayumi Chie Chika Daichi Daiki Daisuke Eiji Emi Eri Fumiko Hana Haruka Haruki Haruto Hideki Hiroko Hiroshi Hiroto Hisashi Ichiro Jiro Junko Kaori Kazuki Kazuko Kazuo Keiko Keita Kenichi Kenji Kenta
    Koji Kota Kumiko Kyoko Maki Makoto Mami Manabu Mari Mariko Masahiro Masako Masaru Masashi Mayumi Megumi Michiko Miho Miki Misaki Mitsuko Miyuki Nana Nanami Naoki Naoko Naomi Noboru Noriko Osamu Reiko Ren Rie Rina Ryo Ryota Sachiko Sakura
    Satoru Satoshi Sayaka Shigeru Shinji Shizuka Shota Sota Taichi Takashi Takeshi Takuya Taro Tatsuya Tetsuya Tomoko Tomomi Toshio Tsubasa Tsutomu Yasuko Yoichi Yoko Yoshiko Yosuke Yuka Yuki Yukiko Yuko Yumi Yuriko Yusuke Yuta
    Bora Chanwoo Daehyun Donghyun Eunji Eunjung Gayoung Haeun Hana Hyejin Hyunjin Hyunwoo Jaehyun Jaewon Jihoon Jihye Jimin Jisoo Jiwon Jiyoung Joonho Junho Kyungsoo Mijin Minho Minji Minjun Minseo Minsu Sangwoo Seojun Seojin Seoyeon Seungho
    Soojin Soyoung Subin Sungmin Taehyung Woojin Yejin Yerin Youngjin Youngsoo Yuna
    Dong Min Won Tae Hwan Hoon Hyuk Sung Seong Woo Yong Kyu Seo Ha Jin Young Soo Ji Hyun Eun Hye Seung Kyung Hee Sang Jae Joon Jun Seok Chul Ho Mi Sook Ae Yeon
    Aiguo Baozhen Chunhua Dandan Fengying Guiying Guohua Haiyan Hongmei Hua Huifang Jianfang Jianguo Jianhua Jianjun Jing Jingjing Junjie Lanying Lihua Lijuan Lili Lina Meiling Meihua Mingming Ping Qiang Shuping Shufang Tingting Weiwei Wenjie
    Xiaodong Xiaohong Xiaoling Xiaoming Xiaowei Xiaoyan Xiulan Xiuying Xinyi Yanyan Yaqin Yifan Ying Yingying Yulan Yumei Yuhan Yuxuan Zihan Zixuan
    Anh Bao Binh Chau Cuong Diep Dung Duc Giang Ha Hai Hanh Hieu Hoa Hung Huong Khanh Khoa Kien Lan Linh Loan Long Mai Minh Nam Ngoc Nhung Phuong Quang Quynh Son Thanh Thao Thi Thu Thuy Tien Trang Trung Tuan Tung Tuyet Van Viet Yen`),
);
// Titles as offices write them, which the lists of names lack.
const ranks = `manager director head chief officer engineer buyer assistant secretary president owner partner founder consultant coordinator supervisor specialist analyst controller accountant technician operator planner
leiter leiterin direktor geschäftsführer geschäftsführerin prokurist einkäufer einkaufsleiter vertriebsleiter verkaufsleiter betriebsleiter werkleiter sachbearbeiter assistentin inhaber inhaberin vorstand techniker meister
directeur directrice gérant gérante responsable acheteur acheteuse chef ingénieur comptable assistante président technicien
director directora gerente jefe jefa responsable comprador encargado ingeniero contable propietario administrador técnico
direttore direttrice responsabile titolare amministratore acquisti ingegnere impiegato tecnico capo
directeur inkoper hoofd eigenaar bedrijfsleider zaakvoerder verkoopleider medewerker boekhouder
diretor diretora gerente comprador chefe proprietário sócio engenheiro técnico
chef inköpare säljare ägare platschef verkställande direktör ingenjör ekonomichef driftchef
direktør indkøber indkøbschef chef ejer sælger leder driftschef økonomichef lagerchef daglig leder innkjøper innkjøpssjef salgssjef eier
johtaja toimitusjohtaja päällikkö ostaja ostopäällikkö myyntipäällikkö omistaja insinööri
kierownik dyrektor prezes właściciel specjalista kupiec zaopatrzeniowiec główny księgowy inżynier
διευθυντής διευθύντρια υπεύθυνος προϊστάμενος ιδιοκτήτης μηχανικός λογιστής πρόεδρος
ředitel ředitelka vedoucí jednatel nákupčí účetní majitel igazgató vezető beszerző tulajdonos mérnök director manager administrator müdür müdürü sorumlusu sahibi uzman`.split(/\s+/);
// What people are called by what they do, one word or two.
const trade = `harbour master|dock master|dock supervisor|skipper|captain|first mate|electrician|foreman|boatbuilder|sailmaker|rigger|bookkeeper|clerk|receptionist|mechanic|welder|driver|surveyor|architect|lawyer|treasurer|chairman|bursar|trustee|caretaker|fleet manager|yard manager|financial controller|general manager|managing director|personal assistant|head of operations|head of purchasing|marina manager|commodore|secretary general
hafenmeister|hafenmeisterin|hafenkapitän|bootsbauer|bootsbauerin|elektriker|vorarbeiter|buchhalter|buchhalterin|schatzmeister|schriftführer|vorsitzender|vorsitzende|hausmeister|disponent|bauleiter|technischer leiter|kaufmännische leiterin|leiter einkauf|leiterin technik|lagerist|meisterin
maître de port|capitaine|électricien|contremaître|trésorier|secrétaire|gardien|chef de chantier|chef d'atelier|directrice technique|directeur commercial|chargé d'affaires|chargée de clientèle|acheteuse|gérant|architecte|avocat|voilier
capitán de puerto|capitana de puerto|electricista|capataz|tesorero|secretaria|jefe de taller|jefa de compras|gerente general|contable|patrón|arquitecto|abogada|encargada de tienda
direttore del porto|capitano|elettricista|caposquadra|tesoriere|segretaria|responsabile tecnico|ufficio acquisti|titolare|ragioniere|velaio|geometra|architetto
havenmeester|schipper|elektricien|voorman|penningmeester|secretaris|hoofd techniek|inkoper|werfbaas|boekhouder|eigenaar|monteur
capitão do porto|mestre|eletricista|encarregado|tesoureiro|secretária|diretora técnica|gerente de loja|contabilista|proprietária
hamnkapten|skeppare|elektriker|förman|kassör|sekreterare|inköpare|driftchef|varvschef|ekonomiansvarig|hamnvärd
havnefoged|skipper|elektriker|formand|kasserer|sekretær|indkøber|teknisk chef|værftschef|havnesjef|havnefogd|innkjøper|daglig leder
satamakapteeni|kippari|sähköasentaja|työnjohtaja|rahastonhoitaja|sihteeri|ostopäällikkö|kirjanpitäjä
bosman portu|kapitan|elektryk|brygadzista|skarbnik|sekretarka|kierownik zakupów|główna księgowa|szkutnik
přístavní mistr|kapitán|elektrikář|mistr|pokladník|tajemnice|vedoucí nákupu|účetní|kikötőmester|kapitány|villanyszerelő|művezető|pénztáros|titkárnő|könyvelő
liman müdürü|kaptan|elektrikçi|ustabaşı|muhasebeci|sekreter|satın alma müdürü
λιμενάρχης|καπετάνιος|ηλεκτρολόγος|εργοδηγός|ταμίας|γραμματέας|υπεύθυνη αγορών|λογίστρια
căpitan de port|electrician|maistru|trezorier|secretară|contabil|director tehnic|șef achiziții
proprietor|merchandiser|solicitor|purchasing officer|works manager|warehouse manager|facilities manager|site manager|quantity surveyor|marine engineer|office manager|marketing manager|sales manager|export manager|account manager|project manager|product manager|operations manager|trainee|apprentice|intern|teacher|physician|dentist|pharmacist|journalist|photographer|plumber|broker|dispatcher|storekeeper|inspector|auditor|councillor|curator|librarian|lecturer|professor|researcher|programmer|developer|designer|editor|translator|pilot|deckhand|boatswain|shipwright|machinist|fitter|draughtsman|retired|chief executive|vice president|company secretary|practice manager|team leader|shift leader|harbour pilot|stores|works engineer|ops manager|partner|associate|director
auszubildender|rentner|rentnerin|rechtsanwalt|rechtsanwältin|steuerberater|ingenieur|ingenieurin|lehrer|lehrerin|arzt|ärztin|projektleiter|projektleiterin|marketingleiterin|personalleiter|lagerleiter|teamleiter|schichtleiter|bootsführer|segellehrer|konstrukteur|zeichner|architektin|verkäufer|verkäuferin|gesellschafter|gesellschafterin|bürokauffrau|kaufmann|kauffrau|geschäftsleitung|bereichsleiter|abteilungsleiter|meister|schlosser|vertretungsberechtigt
retraité|retraitée|stagiaire|notaire|médecin|enseignante|chef de projet|chef de produit|responsable des achats|responsable qualité|assistante de direction|directeur général|directrice générale|président|présidente|associé|associée|gestionnaire|ingénieure|mécanicien|patron|patronne|armateur|skipper|conseiller|conseillère|expert-comptable|chef comptable|consultante
jubilado|jubilada|becario|notario|médico|profesora|jefe de proyecto|responsable de calidad|directora general|presidente|presidenta|socio|socia|asesor|asesora|ingeniera|mecánico|patrón de barco|armador|consejero delegado|jefe de ventas|comercial|administrativa|dueño|dueña
pensionato|stagista|notaio|medico|insegnante|capo progetto|responsabile qualità|direttore generale|presidente|socio|socia|consulente|ingegnere capo|meccanico|armatore|amministratore delegato|responsabile vendite|impiegata|capo officina|agente|proprietaria
gepensioneerd|stagiair|notaris|arts|docent|projectleider|kwaliteitsmanager|algemeen directeur|voorzitter|vennoot|adviseur|werktuigkundige|reder|verkoopadviseur|bedrijfsleider|administratie|werkvoorbereider|planner|inkoopmanager
reformado|reformada|estagiário|notário|médica|professor|gestor de projeto|responsável de qualidade|diretora-geral|presidente|sócia|consultora|engenheira|mecânico|armador|administrador|chefe de vendas|administrativa|dono|dona|encarregada|tesoureira
pensionär|praktikant|läkare|lärare|projektledare|kvalitetschef|vd|ordförande|delägare|rådgivare|mekaniker|redare|säljchef|verkstadschef|ekonom|inköpschef|butikschef|konsult|arkitekt|snickare
pensionist|elev|læge|lærer|projektleder|prosjektleder|kvalitetschef|adm. direktør|formand|styreleder|partner|rådgiver|mekaniker|reder|salgschef|værkstedsleder|verkstedsjef|bogholder|regnskapsfører|butikschef|konsulent|arkitekt|kassemester
eläkeläinen|harjoittelija|lääkäri|opettaja|projektipäällikkö|laatupäällikkö|puheenjohtaja|osakas|neuvonantaja|mekaanikko|varustamo|konsultti|arkkitehti|myyjä|varastopäällikkö
emeryt|emerytka|stażysta|notariusz|lekarz|nauczycielka|kierownik projektu|kierownik jakości|dyrektor generalny|wspólnik|wspólniczka|doradca|mechanik|armator|kierownik sprzedaży|kierownik warsztatu|właścicielka|prezes zarządu|księgowa|handlowiec|kierowniczka
συνταξιούχος|ασκούμενος|γιατρός|καθηγήτρια|διευθύνων σύμβουλος|συνεταίρος|σύμβουλος|μηχανικός πλοίων|εφοπλιστής|υπεύθυνος πωλήσεων|υπεύθυνη πωλήσεων|αγοραστής|αρχιτέκτονας|δικηγόρος|ιδιοκτήτρια
důchodce|praktikant|notář|lékař|učitelka|vedoucí projektu|předseda|společník|poradce|nyugdíjas|gyakornok|orvos|tanár|projektvezető|elnök|üzletvezető|tanácsadó|emekli|stajyer|avukat|doktor|öğretmen|proje müdürü|ortak|danışman|genel müdür`.split(/[|\n]/);
const capital = (t) => t[0].toUpperCase() + t.slice(1);
const areas = `fleet dock harbour marina yard service port warehouse workshop shop project account accounts purchasing sales marketing operations production finance quality logistics maintenance technical procurement export plant site office
einkauf vertrieb verkauf technik produktion logistik qualität achats ventes production technique commercial compras ventas produccion calidad acquisti vendite produzione inkoop verkoop productie techniek
compras vendas inköp försäljning indkøb salg produktion innkjøp osto myynti tuotanto zakupów sprzedaży techniczny produkcji αγορών πωλήσεων τεχνικός`.split(/\s+/);
// What people write into remarks, and call deals and tasks.
const remarks = `wants a catalogue|no reply yet|ring back on thursday|long standing customer|trial order placed|crane overhaul|roof repair|pontoon for twelve berths|shore power renewal|pays late|met at the boat show|send price list|speaks german|key account|replacement of pumps|new fuel dock|winter storage|order confirmed by phone|do not call before noon|waiting for approval
möchte katalog|noch keine antwort|ruft donnerstag zurück|langjähriger kunde|probebestellung erteilt|kranüberholung|dachsanierung|steganlage für zwölf plätze|zahlt spät|preisliste schicken|ersatz der pumpen|wartet auf freigabe|spricht englisch
veut un catalogue|pas encore de réponse|rappelle jeudi|client de longue date|commande d'essai passée|révision de la grue|réfection du toit|ponton de douze places|paie en retard|remplacement des pompes|attend l'accord|parle anglais
quiere un catálogo|aún sin respuesta|llamará el jueves|cliente de muchos años|pedido de prueba|revisión de la grúa|reparación del tejado|pantalán de doce plazas|paga tarde|sustitución de bombas|espera aprobación
vuole un catalogo|ancora nessuna risposta|richiama giovedì|cliente da molti anni|ordine di prova|revisione della gru|rifacimento del tetto|pontile da dodici posti|paga tardi|sostituzione delle pompe|attende approvazione
wil een catalogus|nog geen antwoord|belt donderdag terug|klant van jaren|proefbestelling geplaatst|revisie van de kraan|dakreparatie|steiger met twaalf plaatsen|betaalt laat|vervanging van pompen|wacht op akkoord
quer um catálogo|ainda sem resposta|liga na quinta|cliente há muitos anos|encomenda de teste|revisão da grua|reparação do telhado|pontão de doze lugares|paga tarde|substituição de bombas|espera aprovação
vill ha katalog|inget svar ännu|ringer på torsdag|kund sedan länge|provorder lagd|översyn av kranen|takreparation|brygga med tolv platser|betalar sent|byte av pumpar|väntar på godkännande
vil have katalog|intet svar endnu|ringer torsdag|kunde gennem mange år|prøveordre afgivet|eftersyn af kranen|tagreparation|bro med tolv pladser|betaler sent|udskiftning af pumper|venter på godkendelse|ønsker katalog|ikke noe svar ennå|utskifting av pumper
haluaa luettelon|ei vielä vastausta|soittaa torstaina|pitkäaikainen asiakas|koetilaus tehty|nosturin huolto|katon korjaus|laituri kahdelletoista|maksaa myöhässä|pumppujen vaihto
chce katalog|jeszcze brak odpowiedzi|oddzwoni w czwartek|klient od lat|zamówienie próbne|remont dźwigu|naprawa dachu|pomost na dwanaście miejsc|płaci z opóźnieniem|wymiana pomp
θέλει κατάλογο|ακόμη καμία απάντηση|θα καλέσει την πέμπτη|παλιός πελάτης|δοκιμαστική παραγγελία|συντήρηση γερανού|επισκευή στέγης|πληρώνει αργά|αντικατάσταση αντλιών`.split(/[|\n]/);
for (const r of remarks) for (let n = 0; n < 12; n++) lists.phrase.push(n % 2 ? r : r[0].toUpperCase() + r.slice(1), `${r}; ${remarks[(n * 17 + r.length) % remarks.length]}`);
for (const r of ranks) lists.job.push(r, r, r, ...areas.filter((_, n) => (n + r.length) % 4 === 0).flatMap((a) => [`${r} ${a}`, `${a} ${r}`, capital(`${a} ${r}`), `${capital(a)} ${capital(r)}`]), capital(r), capital(r));
for (const t of trade) lists.job.push(t, capital(t), capital(t), capital(t), t.split(" ").map(capital).join(" "));

process.stdout.write(JSON.stringify(Object.fromEntries(Object.entries({ ...lists, ...names }).map(([k, v]) => [k, v.filter((s) => s.length < 120)]))));
