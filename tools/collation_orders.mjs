// Writes the orders that another implementation of the Unicode Collation Algorithm (the ICU4C in
// Node.js) gives made-up words in some locales, for the tests of the library's own.
//
//   node tools/collation_orders.mjs > crates/usual-tide/tests/library/data/collation-orders.json

const words = [
  "Aal", "aal", "AAL", "Åre", "åre", "Ähre", "ähre", "Ahre", "ahre", "Æble", "æble", "Aeble", "Zoo", "zoo", "Öl", "öl",
  "Ol", "ol", "Øre", "øre", "Ore", "chata", "Chata", "cukr", "čaj", "Čaj", "had", "hůl", "ibis", "cote", "côte", "coté",
  "côté", "lama", "llama", "luna", "nube", "ñandú", "oso", "ısı", "Isı", "İnek", "inek", "ışık", "jeton", "çam", "cam",
  "şal", "sal", "ğ", "g", "yla", "Ypa", "ila", "jla", "żaba", "zaba", "źrebię", "csóka", "cukor", "cél", "dzsem", "dob",
  "gyár", "gomb", "lyuk", "lom", "nyár", "nap", "szó", "sor", "zseb", "zab", "straße", "strasse", "Strasse", "Straße",
  "Ωμέγα", "άλφα", "Άλφα", "βήτα", "Кот", "кот", "ёж", "еж", "ель", "Shelf 9", "Shelf 10", "Shelf 2", "Shelf 02",
  "Shelf 100", "shelf 10", "e-mail", "email", "e mail", "Ember", "émail", "Émail", "emu", "ﬁnch", "finch", "fjord",
  "tak", "þak", "Þak", "thak", "uþ", "đak", "dak", "đ", "eth", "eð",
];

const orders = [];
for (const locale of ["en", "de", "de-u-co-phonebk", "sv", "da", "fr", "fr-CA", "es", "cs", "tr", "lt", "pl", "hu", "el", "ru", "is", "hr"]) {
  for (const options of [{}, { numeric: true }, { caseFirst: "upper" }]) {
    const collator = new Intl.Collator(locale, options);
    const sorted = [...words].sort((one, two) => collator.compare(one, two));
    // Words that tie are one entry.
    const classes = [];
    for (const word of sorted) {
      const last = classes.at(-1);
      if (last && collator.compare(last[0], word) === 0) last.push(word);
      else classes.push([word]);
    }
    orders.push({ locale, ...options, classes: classes.map((same) => same.sort()) });
  }
}
console.log(JSON.stringify({ icu: process.versions.icu, orders }));
