#include "headings.h"

#include <algorithm>
#include <array>
#include <utility>
#include <vector>

#include <fmt/format.h>

#include "files/csv_reader.h"
#include "files/map_columns.h"
#include "model/ascii_text.h"
#include "model/text_slips.h"

namespace greymet::files::internal {

namespace {

using Names = std::pair<Column, std::vector<std::string_view>>;

// By their bare words, umlauts written out.
const std::vector<Names>& known_headings() {
  static const std::vector<Names> all{
      {Column::point,
       {"point",
        "tag",
        "tagname",
        "signal",
        "signalname",
        "pointname",
        "name",
        "parameter",
        "parametername",
        "variable",
        "variablename",
        "designation",
        "label",
        "item",
        "object",
        "objectname",
        "datapoint",
        "datapointname",
        "registername",
        "symbol",
        "measurement",
        "measuredvalue",
        "measurand",
        "symbolname",
        "bezeichnung",
        "bezeichner",
        "parameterbezeichnung",
        "messwert",
        "messgroesse",
        "groesse",
        "datenpunkt",
        "datenpunktname",
        "signalbezeichnung",
        "variablenname",
        "parametertext",
        "physicalquantity",
        "title",
        "element"}},
      {Column::area,
       {"area", "table", "registertype", "space", "memoryarea", "objecttype", "registerart",
        "registertyp", "modbustable", "tabelle", "speicherbereich", "registerclass",
        "typeofregister", "registerkind", "block", "registergroup"}},
      {Column::address, {"address",         "addr",           "adr",
                         "adresse",         "register",       "reg",
                         "registeraddress", "registernumber", "registerno",
                         "regno",           "regaddr",        "regaddress",
                         "startaddress",    "startregister",  "startingregister",
                         "startingaddress", "startadresse",   "registeradresse",
                         "registernummer",  "registernr",     "adressnummer",
                         "addressoffset",   "addresses",      "startreg",
                         "firstregister",   "coiladdress",    "inputaddress",
                         "holdingregister", "inputregister",  "pduaddress",
                         "protocoladdress", "registeroffset", "adresseoffset",
                         "hexaddress",      "reference",      "registers",
                         "paramaddress",    "dataaddress",    "location",
                         "adressbereich",   "addressrange"}},
      {Column::type,
       {"type", "datatype", "dataformat", "format", "dtype", "datentyp", "typ", "datenformat",
        "variabletype", "valuetype", "encoding", "dataencoding", "typeofdata", "registerformat",
        "numberformat", "zahlenformat", "valueformat", "represention", "representation"}},
      {Column::bit, {"bit", "bitno", "bitnr", "bitnumber", "bitposition", "bitoffset", "bitpos"}},
      {Column::word_order,
       {"wordorder", "order", "byteorder", "endian", "endianness", "swap", "bytereihenfolge",
        "wortreihenfolge", "endianess"}},
      {Column::factor,
       {"multiplyby",    "multiply",      "multipliedby", "factormultiply", "multiplier",
        "multiplicator", "multiplikator", "gain",         "slope",          "resolution",
        "lsb",           "stepsize",      "step",         "aufloesung",     "valueperbit",
        "unitperdigit",  "weight",        "increment",    "valueperdigit",  "wertigkeit",
        "schrittweite",  "unitperbit",    "unitsperbit",  "lsbvalue"}},
      {Column::divisor,
       {"div", "divisor", "divider", "divideby", "teiler", "dividedby", "denominator",
        "scaledivisor"}},
      {Column::scale,
       {"factor", "scale", "scaling", "scalefactor", "scalingfactor", "faktor", "skalierung",
        "skalierungsfaktor", "conversion", "umrechnung", "umrechnungsfaktor", "coefficient",
        "koeffizient", "ratio", "conversionfactor", "scaler"}},
      {Column::offset,
       {"offset", "shift", "zero", "bias", "nullpunkt", "zeropoint", "engineeringoffset"}},
      {Column::decimals,
       {"decimals", "decimalplaces", "digits", "dp", "nachkommastellen", "decimalpoint",
        "dezimalstellen", "kommastellen", "decimalpointposition", "decimaldigits", "nofdecimals",
        "numberofdecimals"}},
      {Column::unit,
       {"unit", "units", "engineeringunit", "engineeringunits", "engunit", "eu", "uom", "einheit",
        "unitofmeasure", "physunit", "dimension", "masseinheit", "physicalunit"}},
      {Column::min,
       {"min", "minimum", "low", "lowest", "rangelow", "minvalue", "minimumvalue", "lowerlimit",
        "untergrenze", "minimalwert", "rangemin", "from", "lolimit", "minwert"}},
      {Column::max,
       {"max", "maximum", "high", "highest", "rangehigh", "maxvalue", "maximumvalue", "upperlimit",
        "obergrenze", "maximalwert", "rangemax", "to", "hilimit", "maxwert"}},
      {Column::range,
       {"range", "valuerange", "wertebereich", "bereich", "limits", "measuringrange", "messbereich",
        "validrange", "settingrange", "einstellbereich", "adjustmentrange", "rangeofvalues",
        "permittedvalues", "minmax", "datarange", "setrange"}},
      {Column::access,
       {"access", "rw", "readwrite", "accesstype", "accessrights", "permission", "zugriff",
        "lesenschreiben", "rwaccess", "direction", "rights", "zugriffsrechte", "ls", "rorw",
        "attribute", "accessmode", "readorwrite", "zugriffsart", "accesslevel"}},
      {Column::note,
       {"note", "notes", "description", "comment", "comments", "remark", "remarks", "beschreibung",
        "bemerkung", "bemerkungen", "kommentar", "hinweis", "explanation", "details",
        "function description", "funktionsbeschreibung", "erlaeuterung", "content", "inhalt"}},
      {Column::names,
       {"names", "enumeration", "enum", "valuenames", "states", "options", "values", "meaning",
        "bedeutung", "valuedescription", "codes", "selection", "auswahl", "coding", "werte",
        "possiblevalues", "valuecoding", "enumvalues"}},
      {Column::wears, {"wears"}},
      {Column::function,
       {"function", "fc", "functioncode", "functioncodes", "funktion", "funktionscode", "fcode",
        "func", "functions", "funktionscodes", "supportedfunctions", "fcs", "command", "fct",
        "fn"}},
      {Column::read_function,
       {"readfunction", "fcread", "readfc", "functionread", "readcode", "lesefunktion",
        "readfunctioncode", "fclesen", "functioncoderead"}},
      {Column::write_function,
       {"writefunction", "fcwrite", "writefc", "functionwrite", "writecode", "schreibfunktion",
        "writefunctioncode", "fcschreiben", "functioncodewrite"}},
      {Column::length,
       {"length",
        "len",
        "size",
        "count",
        "numberofregisters",
        "noofregisters",
        "regs",
        "words",
        "wordcount",
        "bytes",
        "bits",
        "laenge",
        "anzahl",
        "anzahlregister",
        "quantity",
        "registercount",
        "datalength",
        "datasize",
        "qty",
        "nrofregisters",
        "numregisters",
        "numberofwords",
        "numberofbytes",
        "numberofbits",
        "registerlength",
        "lengthinregisters",
        "lengthinbytes",
        "lengthinbits",
        "lengthinwords",
        "sizeinbytes",
        "sizeinregisters",
        "sizeinbits",
        "sizeinwords",
        "datawidth",
        "registeranzahl",
        "anzahlworte",
        "regcount",
        "numberofreg",
        "regsize",
        "width"}},
  };
  return all;
}

// German letters as two, others as they are; line breaks and typography as blanks.
std::string plain_heading(std::string_view text) {
  const auto plain = model::without_typography(text);
  std::string in = plain ? *plain : std::string(text);
  static constexpr std::array<std::pair<std::string_view, std::string_view>, 7> letters{
      {{"\xC3\xA4", "ae"},
       {"\xC3\xB6", "oe"},
       {"\xC3\xBC", "ue"},
       {"\xC3\x84", "ae"},
       {"\xC3\x96", "oe"},
       {"\xC3\x9C", "ue"},
       {"\xC3\x9F", "ss"}}};
  for (const auto& [letter, two] : letters) {
    for (std::size_t at = in.find(letter); at != std::string::npos; at = in.find(letter, at + 2)) {
      in.replace(at, letter.size(), two);
    }
  }
  return model::in_small_letters(in);
}

std::vector<std::string> words_of(const std::string& text) {
  std::vector<std::string> words;
  std::string word;
  for (const char c : text + " ") {
    if (model::is_letter(c) || model::is_digit(c)) {
      word += c;
    } else if (!word.empty()) {
      words.push_back(std::move(word));
      word.clear();
    }
  }
  return words;
}

bool is_one_of(std::string_view word, std::initializer_list<std::string_view> words) {
  return std::find(words.begin(), words.end(), word) != words.end();
}

// Takes what qualifies a heading out of its words.
std::string bare_heading(const std::vector<std::string>& words, bool in_brackets_only,
                         Heading& out) {
  std::string bare;
  for (std::size_t i = 0; i < words.size(); ++i) {
    const std::string& word = words[i];
    const std::string next = i + 1 < words.size() ? words[i + 1] : std::string();
    if (is_one_of(word, {"hex", "hexadecimal", "hexadezimal", "hexa", "0x"}) ||
        (word == "h" && in_brackets_only)) {
      out.hexadecimal = true;
    } else if (is_one_of(word, {"dec", "decimal", "dez", "dezimal", "deci"})) {
      out.hexadecimal = false;
    } else if (is_one_of(word, {"0based", "zerobased"}) ||
               (is_one_of(word, {"0", "zero"}) && next == "based")) {
      out.counts_from = 0;
      i += next == "based" ? 1U : 0U;
    } else if (is_one_of(word, {"1based", "onebased"}) ||
               (is_one_of(word, {"1", "one"}) && next == "based")) {
      out.counts_from = 1;
      i += next == "based" ? 1U : 0U;
    } else if (word == "base" && is_one_of(next, {"0", "1", "10", "16"})) {
      if (next == "0" || next == "1") out.counts_from = next == "1" ? 1 : 0;
      if (next == "10" || next == "16") out.hexadecimal = next == "16";
      ++i;
    } else if (is_one_of(word, {"modbus", "rtu", "tcp", "the", "plc", "communication"})) {
      // says nothing
    } else {
      if (is_one_of(word, {"pdu", "protocol", "protokoll"}) && !out.counts_from)
        out.counts_from = 0;
      if (is_one_of(word, {"register", "registers", "words", "word", "regs", "worte"}) &&
          out.counted == Counted::unsaid) {
        out.counted = Counted::registers;
      }
      if (is_one_of(word, {"byte", "bytes"})) out.counted = Counted::bytes;
      if (is_one_of(word, {"bit", "bits"})) out.counted = Counted::bits;
      bare += word;
    }
  }
  return bare;
}

Column column_named(std::string_view bare) {
  for (const auto& [column, names] : known_headings()) {
    if (std::find(names.begin(), names.end(), bare) != names.end()) return column;
  }
  return Column::none;
}

}  // namespace

std::string_view to_string(Column column) {
  switch (column) {
    case Column::none: return "none";
    case Column::point: return "point";
    case Column::area: return "area";
    case Column::address: return "address";
    case Column::type: return "type";
    case Column::bit: return "bit";
    case Column::word_order: return "word_order";
    case Column::factor: return "factor";
    case Column::divisor: return "divisor";
    case Column::scale: return "scale";
    case Column::offset: return "offset";
    case Column::decimals: return "decimals";
    case Column::unit: return "unit";
    case Column::min: return "min";
    case Column::max: return "max";
    case Column::range: return "range";
    case Column::access: return "access";
    case Column::note: return "note";
    case Column::names: return "names";
    case Column::wears: return "wears";
    case Column::function: return "function";
    case Column::read_function: return "read function";
    case Column::write_function: return "write function";
    case Column::length: return "length";
  }
  return {};
}

std::optional<OwnHeadings> own_headings_from(const std::string& text, std::string& trouble) {
  OwnHeadings out;
  const auto table = read_csv(text, 0);
  if (!table) {
    trouble = fmt::format("line {}: {}", table.error().place.line, table.error().message);
    return std::nullopt;
  }
  const auto add = [&](const std::vector<Cell>& row) {
    const std::string meaning =
        row.size() < 2 ? std::string() : std::string(model::trimmed(row[1].text));
    for (int c = static_cast<int>(Column::point); c <= static_cast<int>(Column::length); ++c) {
      if (meaning != to_string(static_cast<Column>(c))) continue;
      out[model::bare_word(plain_heading(row[0].text))] = static_cast<Column>(c);
      return true;
    }
    if (meaning == "column") return true;  // its own heading
    trouble = fmt::format(
        "line {}: '{}' is no column; a line is HEADING,COLUMN, where the column is point, address, "
        "type, area, factor, divisor, unit, access, function, length or another one of a map",
        row.front().place.line, model::quoted_start(meaning));
    return false;
  };
  if (!add(table->header)) return std::nullopt;
  for (const auto& row : table->rows) {
    if (!add(row)) return std::nullopt;
  }
  return out;
}

Heading heading_of(std::string_view text, const OwnHeadings& own) {
  Heading out;
  const std::string trimmed(model::trimmed(text));
  if (trimmed.empty()) return out;
  const std::string plain = plain_heading(trimmed);
  if (const auto at = own.find(model::bare_word(plain)); at != own.end()) {
    out.column = at->second;
    (void)bare_heading(words_of(plain), false, out);
    return out;
  }
  const auto& ours = map_columns().names;
  out.is_ours = std::find(ours.begin(), ours.end(), trimmed) != ours.end();
  // what stands in brackets qualifies; without it first
  std::string outside;
  std::string inside;
  int depth = 0;
  for (const char c : plain) {
    if (c == '(' || c == '[' || c == '{') ++depth;
    (depth > 0 ? inside : outside) += c;
    if ((c == ')' || c == ']' || c == '}') && depth > 0) --depth;
  }
  (void)bare_heading(words_of(inside), true, out);
  const Counted of_brackets = out.counted;
  out.counted = Counted::unsaid;
  const std::string bare = bare_heading(words_of(outside), false, out);
  if (of_brackets != Counted::unsaid) out.counted = of_brackets;
  out.column = column_named(bare);
  if (bare.empty() && out.hexadecimal) out.column = Column::address;  // "Hex" alone
  if (out.column == Column::none && outside != plain) {
    out.column = column_named(bare_heading(words_of(plain), false, out));
  }
  // "Register No.", "Parameter address of the device": one word tells
  if (out.column == Column::none) {
    std::vector<std::string> words = words_of(outside);
    std::erase_if(words, [](const std::string& w) {
      return is_one_of(w, {"no", "nr", "number", "nummer", "of", "data", "in", "des", "der", "die",
                           "and", "und", "modbus", "dec", "hex", "decimal", "value"});
    });
    if (words.size() == 1 && words[0] != "order") out.column = column_named(words[0]);
    if (words.size() == 2 && is_one_of(words[1], {"address", "adresse", "addr"})) {
      out.column = Column::address;
    }
  }
  if (out.column == Column::none) {
    const auto near = meant_column(map_columns(), trimmed);
    if (near && near->certain && bare.size() > 4) {
      for (int c = static_cast<int>(Column::point); c <= static_cast<int>(Column::length); ++c) {
        if (near->column == to_string(static_cast<Column>(c))) out.column = static_cast<Column>(c);
      }
    }
  }
  if (out.column == Column::address) {
    using model::Area;
    static constexpr std::array<std::pair<std::string_view, Area>, 7> areas{
        {{"holding", Area::holding_register},
         {"halteregister", Area::holding_register},
         {"input register", Area::input_register},
         {"eingangsregister", Area::input_register},
         {"coil", Area::coil},
         {"discrete", Area::discrete_input},
         {"input status", Area::discrete_input}}};
    for (const auto& [word, area] : areas) {
      if (plain.find(word) != std::string::npos) out.area = area;
    }
  }
  return out;
}

}  // namespace greymet::files::internal
