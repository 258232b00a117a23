import iconv from "iconv-lite";
import type { Encoding } from "@/core/read/encoding/names.ts";

/** What a seed collector may have written in a language, and the encodings that it was written in. Made up. */
export interface Written {
  readonly language: string;
  readonly encodings: readonly Encoding[];
  readonly lines: readonly string[];
}

export const WRITTEN: readonly Written[] = [
  {
    language: "Russian",
    encodings: ["windows-1251", "koi8-r", "ibm866", "iso-8859-5", "x-mac-cyrillic", "cp855"],
    lines: [
      "Анна Кузнецова",
      "берег реки у деревни",
      "Дуб черешчатый",
      "собрано после дождя",
      "Пётр Соловьёв",
      "сухой луг",
      "семена целые, без плесени",
      "Лещина обыкновенная",
    ],
  },
  {
    language: "Ukrainian",
    encodings: ["windows-1251", "koi8-u", "cp1125"],
    lines: [
      "Оксана Їжакевич",
      "Калина звичайна",
      "біля річки",
      "насіння сухе",
      "Ґрунт піщаний",
      "Юрій Мельник",
      "зібрано під час дощу",
      "південний схил",
    ],
  },
  {
    language: "Bulgarian",
    encodings: ["windows-1251", "iso-8859-5"],
    lines: [
      "Иван Дончев",
      "Български божур",
      "край реката",
      "събрано през юли",
      "южен склон",
      "Здравка Ангелова",
      "сухи семена",
      "гъста гора",
    ],
  },
  {
    language: "Serbian",
    encodings: ["windows-1251", "iso-8859-5"],
    lines: [
      "Ђорђе Јовановић",
      "Љиљана Њежић",
      "поред реке",
      "Питома нана",
      "сакупљено у јулу",
      "јужна падина",
      "Дивља ружа",
      "семе је суво",
    ],
  },
  {
    language: "Greek",
    encodings: ["windows-1253", "iso-8859-7", "cp737", "macgreek"],
    lines: [
      "Ελένη Παπαδοπούλου",
      "Ελιά",
      "δίπλα στο ποτάμι",
      "ξηρό λιβάδι",
      "Θυμάρι",
      "συλλέχθηκε μετά τη βροχή",
      "Γιώργος Νικολάου",
      "Άγρια ρίγανη",
    ],
  },
  {
    language: "Turkish",
    encodings: ["windows-1254", "cp857", "macturkish"],
    lines: [
      "Ayşe Çağlar",
      "Gülay Öztürk",
      "ırmak kıyısı",
      "Anadolu kekiği",
      "yağmurdan sonra toplandı",
      "İsmail Şahin",
      "güney yamacı",
      "tohumlar sağlıklı, küfsüz",
    ],
  },
  {
    language: "Hebrew",
    encodings: ["windows-1255", "iso-8859-8", "cp862"],
    lines: ["אלון מצוי", "רות כהן", "ליד הנחל", "נאסף אחרי הגשם", "זרעים יבשים", "מדרון דרומי", "דוד לוי", "שקד מצוי"],
  },
  {
    language: "Arabic",
    encodings: ["windows-1256", "iso-8859-6"],
    lines: [
      "فاطمة حسن",
      "شجرة الزيتون",
      "بجانب النهر",
      "جمعت بعد المطر",
      "بذور جافة",
      "المنحدر الجنوبي",
      "يوسف عبد الله",
      "الزعتر البري",
    ],
  },
  {
    language: "Persian",
    encodings: ["windows-1256"],
    lines: [
      "زهرا کريمي",
      "درخت گردو",
      "کنار رودخانه",
      "پس از باران",
      "دامنه جنوبي",
      "چمن خشک",
      "پسته وحشي",
      "علي رضايي",
    ],
  },
  {
    language: "Thai",
    encodings: ["windows-874"],
    lines: ["สมชาย ใจดี", "ต้นมะม่วงป่า", "ริมแม่น้ำ", "เก็บหลังฝนตก", "เมล็ดแห้ง", "ทุ่งหญ้า", "มาลี ศรีสุข", "ดินทราย"],
  },
  {
    language: "Vietnamese",
    encodings: ["windows-1258"],
    lines: [
      "Nguyễn Thị Hoa",
      "cây bưởi rừng",
      "bên bờ sông",
      "thu hái sau mưa",
      "hạt khô",
      "sườn núi phía nam",
      "Trần Văn Đức",
      "đất cát",
    ],
  },
  {
    language: "Polish",
    encodings: ["windows-1250", "iso-8859-2", "cp852", "maccenteuro"],
    lines: [
      "Żaneta Wójcik",
      "Święcin nad rzeką",
      "Dąb szypułkowy",
      "zebrano po deszczu",
      "łąka, południowe zbocze",
      "Grzegorz Brzęczyszczykiewicz",
      "nasiona suche, bez pleśni",
      "Źródła",
    ],
  },
  {
    language: "Czech",
    encodings: ["windows-1250", "iso-8859-2", "cp852"],
    lines: [
      "Jiří Dvořák",
      "Růžena Šťastná",
      "u řeky pod lesem",
      "Jeřáb ptačí",
      "sbíráno po dešti",
      "jižní svah",
      "semena suchá, bez plísně",
      "Žďár",
    ],
  },
  {
    language: "Hungarian",
    encodings: ["windows-1250", "iso-8859-2", "cp852"],
    lines: [
      "Szűcs Ágnes",
      "Kőrösi Gergő",
      "a folyó partján",
      "eső után gyűjtve",
      "Tölgyfa",
      "déli lejtő",
      "a magok szárazak, épek",
      "Mezőhegyi út",
    ],
  },
  {
    language: "Romanian",
    encodings: ["iso-8859-16", "windows-1250"],
    lines: [
      "Ştefan Ţurcanu",
      "lângă râu",
      "Măceş sălbatic",
      "cules după ploaie",
      "seminţe uscate",
      "versantul sudic",
      "Ioana Stănescu",
      "fâneaţă",
    ],
  },
  {
    language: "Croatian",
    encodings: ["windows-1250", "iso-8859-2"],
    lines: [
      "Željko Đurić",
      "Ružica Šimić",
      "uz rijeku kraj šume",
      "Ljekovita kadulja",
      "skupljeno poslije kiše",
      "južna padina",
      "suho sjeme",
      "Čakovečka livada",
    ],
  },
  {
    language: "Lithuanian",
    encodings: ["windows-1257", "iso-8859-13", "cp775"],
    lines: [
      "Živilė Kazlauskaitė",
      "Ąžuolas",
      "prie upės",
      "surinkta po lietaus",
      "pietinis šlaitas",
      "Jūratė Šimkutė",
      "sėklos sausos",
      "pušų miškas, smėlėtas dirvožemis",
    ],
  },
  {
    language: "Latvian",
    encodings: ["windows-1257", "iso-8859-13", "iso-8859-4"],
    lines: [
      "Jānis Bērziņš",
      "Ķirsis pie ceļa",
      "upes krastā",
      "ievākts pēc lietus",
      "sēklas sausas",
      "Zaļā pļava",
      "Līga Ozoliņa",
      "šķērsiela",
    ],
  },
  {
    language: "Estonian",
    encodings: ["windows-1257", "windows-1252"],
    lines: [
      "Jüri Mägi",
      "jõe ääres",
      "Sõnajalg",
      "kogutud pärast vihma",
      "lõunanõlv",
      "Küllike Põder",
      "seemned on kuivad",
      "Öömaja",
    ],
  },
  {
    language: "German",
    encodings: ["windows-1252", "cp850", "macintosh", "cp437"],
    lines: [
      "Jürgen Böhme",
      "Käthe Groß",
      "südlicher Hang über dem Fluß",
      "nach dem Regen gesammelt",
      "Gänseblümchen",
      "Öhringer Straße",
      "trockene Körner",
      "Wiesenkümmel",
    ],
  },
  {
    language: "French",
    encodings: ["windows-1252", "cp850", "macintosh", "iso-8859-15"],
    lines: [
      "Hélène Côté",
      "près de la rivière",
      "récolté après la pluie",
      "Chêne pédoncule",
      "François Bézier",
      "graines sèches, entières",
      "pré fauché, été",
      "forêt dorée",
    ],
  },
  {
    language: "Spanish",
    encodings: ["windows-1252", "cp850", "macintosh"],
    lines: [
      "María Núñez",
      "orilla del río",
      "recogido después de la lluvia",
      "Encina del Peñón",
      "José Ibáñez",
      "semillas sin daño",
      "ladera sur, año seco",
      "Tomillo común",
    ],
  },
  {
    language: "Portuguese",
    encodings: ["windows-1252", "cp850", "cp860"],
    lines: [
      "João Gonçalves",
      "junto à ribeira",
      "colhido após a chuva",
      "Carvalho-português",
      "encosta sul, chão arenoso",
      "Conceição Simões",
      "sementes sãs",
      "Alecrim do mês de março",
    ],
  },
  {
    language: "Swedish",
    encodings: ["windows-1252", "macintosh", "cp850"],
    lines: [
      "Åsa Sjögren",
      "vid ån",
      "Blåklocka",
      "insamlat efter regnet",
      "södersluttning",
      "Örjan Höglund",
      "torra frön, utan mögel",
      "älvängen",
    ],
  },
  {
    language: "Danish",
    encodings: ["windows-1252", "cp865", "cp850"],
    lines: [
      "Søren Nørgaard",
      "ved åen",
      "Blåbær på heden",
      "indsamlet efter regn",
      "tørre frø",
      "Ærtebjerg",
      "sydvendt skrænt",
      "Bøgeskov",
    ],
  },
  {
    language: "Icelandic",
    encodings: ["windows-1252", "maciceland", "cp861"],
    lines: [
      "Þórdís Ægisdóttir",
      "við ána",
      "Blóðberg",
      "safnað eftir rigningu",
      "þurr fræ",
      "suðurhlíð",
      "Guðmundur Þorláksson",
      "Öræfi",
    ],
  },
  {
    language: "Maltese",
    encodings: ["iso-8859-3"],
    lines: [
      "Ġorġ Żammit",
      "ħdejn ix-xatt",
      "Ħarrub",
      "miġbur wara x-xita",
      "żrieragħ niexfa",
      "Ċensu Ħaber",
      "għolja",
      "Ħobbejża",
    ],
  },
  {
    language: "Japanese",
    encodings: ["shift_jis", "euc-jp", "iso-2022-jp"],
    lines: [
      "山田太郎",
      "川沿いの草地",
      "ヤマザクラ",
      "雨のあとに採集",
      "種子は乾いている",
      "南向きの斜面",
      "佐藤花子",
      "クヌギ林のはずれ",
    ],
  },
  {
    language: "Chinese",
    encodings: ["gb18030"],
    lines: ["张伟", "河边的草地", "野生樱桃", "雨后采集", "种子干燥，没有发霉", "南坡", "李秀英", "橡树林"],
  },
  {
    language: "Chinese of Taiwan",
    encodings: ["big5"],
    lines: ["陳美玲", "河邊的草地", "野生櫻桃", "雨後採集", "種子乾燥，沒有發霉", "南坡", "林志豪", "橡樹林"],
  },
  {
    language: "Korean",
    encodings: ["euc-kr"],
    lines: [
      "김민수",
      "강가의 풀밭",
      "산벚나무",
      "비 온 뒤에 채집",
      "씨앗은 말랐음",
      "남쪽 비탈",
      "이영희",
      "떡갈나무 숲",
    ],
  },
];

/** Others, by which nothing was set: languages and kinds of text that those above do not have. */
export const OTHERS: readonly Written[] = [
  {
    language: "Norwegian",
    encodings: ["windows-1252", "cp865", "macintosh"],
    lines: ["Bjørn Ødegård", "plukket på øya", "tørt grønt gress", "Løvåsen", "sørvendt skråning"],
  },
  {
    language: "Italian",
    encodings: ["windows-1252", "cp850"],
    lines: ["Niccolò Ferrò", "perché è già raccolto", "più in là", "Città di Brindle", "lunedì"],
  },
  {
    language: "Catalan",
    encodings: ["windows-1252", "cp850"],
    lines: ["Núria Sòria", "l'arbre és vell", "al costat del riu", "Això és així", "muntanya, plaça"],
  },
  {
    language: "Slovak",
    encodings: ["windows-1250", "iso-8859-2", "cp852"],
    lines: ["Ľubomír Ďurčák", "dub letný", "pri rieke", "zbierané po daždi", "južný svah, suché semená", "Štúrovo"],
  },
  {
    language: "Slovenian",
    encodings: ["windows-1250", "iso-8859-2"],
    lines: ["Žiga Čuček", "ob reki", "nabrano po dežju", "južno pobočje", "Škofja Loka", "suho seme"],
  },
  {
    language: "Albanian",
    encodings: ["windows-1252"],
    lines: ["Gëzim Çela", "pranë lumit", "mbledhur pas shiut", "farat janë të thata", "është"],
  },
  {
    language: "Irish",
    encodings: ["windows-1252"],
    lines: ["Seán Ó Briain", "cois na habhann", "bailithe tar éis na báistí", "síolta tirime", "Gráinne"],
  },
  {
    language: "Welsh",
    encodings: ["iso-8859-14"],
    lines: ["Siân Ŵyn", "tŷ ger yr afon", "hadau sych", "wedi'r glaw", "dŵr a gwŷdd", "Llŷn"],
  },
  {
    language: "Macedonian",
    encodings: ["windows-1251", "iso-8859-5"],
    lines: ["Ѓорѓи Ќосев", "крај реката", "собрано по дожд", "јужна падина", "сува трева", "Љубица"],
  },
  {
    language: "Belarusian",
    encodings: ["windows-1251", "iso-8859-5"],
    lines: ["Уладзімір Іўчанка", "каля ракі", "сабрана пасля дажджу", "паўднёвы схіл", "сухое насенне", "Ірына"],
  },
  {
    language: "Finnish",
    encodings: ["windows-1252", "cp850", "macintosh"],
    lines: [
      "Päivi Jääsalo",
      "joen äärellä",
      "kerätty sateen jälkeen",
      "eteläinen rinne",
      "kuivat siemenet ehjiä",
      "Äänemäki",
    ],
  },
  {
    language: "Esperanto",
    encodings: ["iso-8859-3"],
    lines: ["Ĉiuĵaŭde ĝojas", "ŝi kaj ŭonbato", "ĥoro", "apud la ĝardeno", "sekaj semoj", "ŝtono"],
  },
  {
    language: "Latvian of another machine",
    encodings: ["cp775"],
    lines: ["Ģirts Šķēle", "pļavā pie upes", "ievākts pēc lietus", "dienvidu nogāze", "sēklas ir sausas", "Ķegums"],
  },
  { language: "prices", encodings: ["windows-1252", "iso-8859-15"], lines: ["5 €", "10 €", "7 €", "12 €"] },
  { language: "degrees", encodings: ["windows-1252", "cp850"], lines: ["12 °C", "30°C", "5 °C", "± 2 °C"] },
  {
    language: "quotation marks",
    encodings: ["windows-1252"],
    lines: ["“dry”", "it’s", "ca. 5–10", "field’s edge", "‘oak’"],
  },
  {
    language: "names of several languages",
    encodings: ["windows-1252"],
    lines: ["Zoë Café", "José Müller", "Søren Ångström"],
  },
  {
    language: "capitals alone",
    encodings: ["windows-1251", "koi8-r", "ibm866"],
    lines: ["СОЛОВЬЁВ", "КЛЁНОВА", "ОЗЁРСКИЙ", "ПОЛЯНСКАЯ", "ВЕТРОВ"],
  },
  {
    language: "Greek capitals",
    encodings: ["windows-1253", "iso-8859-7"],
    lines: ["ΠΑΠΑΔΟΠΟΥΛΟΣ", "ΓΕΩΡΓΙΟΥ", "ΝΙΚΟΛΑΟΥ", "ΔΗΜΗΤΡΙΟΥ"],
  },
  {
    language: "half-width kana",
    encodings: ["shift_jis", "euc-jp"],
    lines: ["ｻｸﾗ", "ヤマダタロウ", "スズキハナコ", "サトウイチロウ"],
  },
  { language: "Korean places", encodings: ["euc-kr"], lines: ["서울특별시", "부산광역시", "소나무", "느티나무"] },
  { language: "Chinese places", encodings: ["gb18030"], lines: ["北京市海淀区", "银杏", "桂花", "上海市"] },
  { language: "places of Taiwan", encodings: ["big5"], lines: ["台北市", "高雄市", "樟樹", "桂花"] },
];

/** A table of some records of these lines, in an encoding. */
export function fileIn({ lines }: Written, encoding: Encoding, records: number): Uint8Array {
  const text = `id,name,remark\n${Array.from({ length: records }, (_, i) => `${i + 1},"${lines[i % lines.length]}","${lines[(i * 3 + 1) % lines.length]}"`).join("\n")}\n`;
  return encodeText(text, encoding);
}

/** What the encoder of the library does not know by our names, and what has to be taken apart for it. */
export function encodeText(text: string, encoding: Encoding): Uint8Array {
  if (encoding === "iso-8859-16")
    return new Uint8Array(
      iconv.encode(
        text.replace(/[ŞşŢţ]/g, (c) => "ȘșȚț"["ŞşŢţ".indexOf(c)]!),
        encoding,
      ),
    );
  if (encoding === "iso-2022-jp") return iso2022(text);
  if (encoding === "windows-1258") return new Uint8Array(iconv.encode(vietnamese(text), encoding));
  return new Uint8Array(iconv.encode(text, encoding === "x-mac-cyrillic" ? "maccyrillic" : encoding));
}

/** Letters with one mark, and the tone's mark after them, as that encoding has them. */
function vietnamese(text: string): string {
  const tones = /[\u0300\u0301\u0303\u0309\u0323]/;
  return [...text.normalize("NFD")].join("").replace(/(\p{L})(\p{M}*)/gu, (_, letter: string, marks: string) => {
    const [tone = ""] = tones.exec(marks) ?? [];
    return (letter + marks.replace(tone, "")).normalize("NFC") + tone;
  });
}

/** JIS X 0208 by escapes, from EUC-JP: the same rows with the eighth bit. */
function iso2022(text: string): Uint8Array {
  const bytes: number[] = [];
  let double = false;
  for (const c of text) {
    const euc = iconv.encode(c, "euc-jp");
    const wide = euc.length === 2;
    if (wide !== double) bytes.push(0x1b, ...(wide ? [0x24, 0x42] : [0x28, 0x42]));
    double = wide;
    for (const b of euc) bytes.push(b & 0x7f);
  }
  if (double) bytes.push(0x1b, 0x28, 0x42);
  return Uint8Array.from(bytes);
}
