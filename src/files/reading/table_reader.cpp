#include "files/table_reader.h"

#include <algorithm>
#include <charconv>

#include <fmt/format.h>

#include "files/file_source.h"
#include "key_watch.h"
#include "keys_of_tables.h"
#include "model/duration_text.h"
#include "model/nearest_name.h"

namespace greymet::files {

using model::Declared;
using model::Located;
using model::RuleCode;

namespace {

bool is_texty(const Value& value) {
  return value.kind == ValueKind::text || value.kind == ValueKind::cell;
}

// What the file has there, for messages.
std::string found_text(const Value& value) {
  constexpr std::size_t most_shown = 40;
  switch (value.kind) {
    case ValueKind::text: return fmt::format("\"{}\"", value.text.substr(0, most_shown));
    case ValueKind::cell: return fmt::format("'{}'", value.text.substr(0, most_shown));
    case ValueKind::integer: return value.text.substr(0, most_shown);
    case ValueKind::real: return fmt::format("{}", value.real);
    case ValueKind::boolean: return value.boolean ? "true" : "false";
    case ValueKind::date:
    case ValueKind::array:
    case ValueKind::refused:
    case ValueKind::table: break;
  }
  return std::string(describe(value.kind));
}

// Blank-separated words of a cell with their places.
std::vector<Value> split_cell(const Value& cell) {
  std::vector<Value> words;
  std::size_t at = 0;
  while (at < cell.text.size()) {
    const std::size_t start = cell.text.find_first_not_of(' ', at);
    if (start == std::string::npos) break;
    const std::size_t end = std::min(cell.text.find(' ', start), cell.text.size());
    Value word;
    word.kind = ValueKind::cell;
    word.text = cell.text.substr(start, end - start);
    word.place = cell.place;
    words.push_back(std::move(word));
    at = end;
  }
  return words;
}

// A list may be written as an array, as one value, or in one cell.
std::vector<Value> list_of(const Value& value) {
  if (value.kind == ValueKind::array) return value.items;
  if (value.kind == ValueKind::cell) return split_cell(value);
  return {value};
}

}  // namespace

TableReader::TableReader(const Value& table, model::Subject subject, model::Findings& findings)
    : table_(table), subject_(std::move(subject)), findings_(findings) {
  if (is_watched()) internal::KeyWatch::current()->begun(table_.place);
}

bool TableReader::is_watched() {
  return internal::KeyWatch::current() != nullptr;
}

void TableReader::note(std::string_view key, KeyForm form) const {
  internal::KeyWatch::current()->asked(table_.place, key, std::move(form));
}

// The words are those in quotes.
void TableReader::note_words(std::string_view key, KeyKind kind, std::string_view expected) const {
  KeyForm form{.kind = kind};
  for (std::size_t at = expected.find('"'); at != std::string_view::npos;) {
    const std::size_t end = expected.find('"', at + 1);
    if (end == std::string_view::npos) break;
    form.words.emplace_back(expected.substr(at + 1, end - at - 1));
    at = expected.find('"', end + 1);
  }
  note(key, std::move(form));
}

const Value* TableReader::anything(std::string_view key) {
  if (is_watched()) note(key, {.kind = KeyKind::anything});
  return value(key);
}

const Value* TableReader::value(std::string_view key) {
  known_.push_back(key);  // perhaps once more: only who has to tell them looks for that
  const Value* found = table_.find(key);
  if (found == nullptr || found->kind != ValueKind::refused) return found;
  if (!refused_.contains(key)) refused_.keys.emplace_back(key);
  return nullptr;
}

bool TableReader::report(RuleCode rule, model::Range place, std::string message,
                         std::string remedy) {
  if (findings_.size() >= most_findings_of_reading) {
    if (findings_.size() == most_findings_of_reading) {
      findings_.push_back({.rule = RuleCode::P05,
                           .severity = model::Severity::error,
                           .place = place,
                           .subject = {},
                           .message = fmt::format("more than {} mistakes in what is read: "
                                                  "the rest is not listed",
                                                  most_findings_of_reading),
                           .remedy = "correct the first ones and check again"});
    }
    return false;
  }
  findings_.push_back({.rule = rule,
                       .severity = model::Severity::error,
                       .place = place,
                       .subject = subject_,
                       .message = std::move(message),
                       .remedy = std::move(remedy)});
  return true;
}

void TableReader::wrong(const Value& value, std::string_view key, std::string_view expected,
                        const std::optional<model::Meant>& meant) {
  refused_.keys.emplace_back(key);
  const bool kept =
      report(RuleCode::P05, value.place, fmt::format("`{}` is {}", key, found_text(value)),
             meant ? std::string() : fmt::format("write {}", expected));
  if (kept && meant) write_instead(value, meant->text, meant->certain, true);
}

// The cure of the finding just reported. Cells have no quotes of their own.
void TableReader::write_instead(const Value& value, std::string_view text, bool certain,
                                bool quoted) {
  const bool in_quotes = quoted && value.kind != ValueKind::cell;
  add_fix(findings_.back(),
          model::write_instead(
              value.place, in_quotes ? fmt::format("\"{}\"", text) : std::string(text), certain));
}

namespace {

// A number that stands in quotes, or as people write numbers.
std::optional<model::Meant> meant_number_of(const Value& value) {
  if (!is_texty(value)) return std::nullopt;
  double number = 0;
  const std::string_view text = model::trimmed(value.text);
  const auto [stop, error] = std::from_chars(text.data(), text.data() + text.size(), number);
  if (error == std::errc() && stop == text.data() + text.size()) {
    return model::Meant{std::string(text), true};
  }
  return model::meant_number(value.text);
}

}  // namespace

std::optional<std::int64_t> TableReader::whole_number(const Value& value) const {
  if (value.kind == ValueKind::integer) return value.integer;
  if (value.kind != ValueKind::cell) return std::nullopt;
  std::int64_t number = 0;
  const std::string_view text = model::trimmed(value.text);
  const char* end = text.data() + text.size();
  const auto [stop, error] = std::from_chars(text.data(), end, number);
  if (error != std::errc() || stop != end) return std::nullopt;
  return number;
}

Declared<std::string> TableReader::text(std::string_view key) {
  if (is_watched()) note(key, {.kind = KeyKind::text});
  const Value* v = value(key);
  if (v == nullptr) return std::nullopt;
  if (is_texty(*v) && !model::trimmed(v->text).empty()) {
    return Located<std::string>{std::string(model::trimmed(v->text)), v->place};
  }
  wrong(*v, key, "a text in quotes");
  return std::nullopt;
}

Declared<std::int64_t> TableReader::integer(std::string_view key, std::int64_t least,
                                            std::int64_t most) {
  if (is_watched())
    note(key, {.kind = KeyKind::whole,
               .least = static_cast<double>(least),
               .most = static_cast<double>(most)});
  const Value* v = value(key);
  if (v == nullptr) return std::nullopt;
  const auto number = whole_number(*v);
  if (number && *number >= least && *number <= most) {
    return Located<std::int64_t>{*number, v->place};
  }
  std::optional<model::Meant> meant =
      is_texty(*v) ? model::meant_whole_number(v->text) : std::nullopt;
  if (!meant) meant = meant_number_of(*v);
  if (meant) {
    Value other = *v;
    other.kind = ValueKind::cell;
    other.text = meant->text;
    const auto right = whole_number(other);
    if (!right || *right < least || *right > most) meant.reset();
  }
  const bool kept = findings_.size() < most_findings_of_reading;
  wrong(*v, key, fmt::format("a whole number from {} to {}", least, most));
  if (meant && kept) {
    findings_.back().remedy.clear();
    write_instead(*v, meant->text, meant->certain, false);
  }
  return std::nullopt;
}

Declared<double> TableReader::number(std::string_view key, double least, double most) {
  if (is_watched()) note(key, {.kind = KeyKind::number, .least = least, .most = most});
  const Value* v = value(key);
  if (v == nullptr) return std::nullopt;
  std::optional<double> number;
  if (v->kind == ValueKind::real) number = v->real;
  if (const auto whole = whole_number(*v)) number = static_cast<double>(*whole);
  if (v->kind == ValueKind::cell && !number) {
    double parsed_value = 0;
    const std::string_view text = model::trimmed(v->text);
    const char* end = text.data() + text.size();
    const auto [stop, error] = std::from_chars(text.data(), end, parsed_value);
    if (error == std::errc() && stop == end) number = parsed_value;
  }
  if (number && *number >= least && *number <= most) return Located<double>{*number, v->place};
  const auto meant = meant_number_of(*v);
  const bool kept = findings_.size() < most_findings_of_reading;
  wrong(*v, key, fmt::format("a number from {} to {}", least, most));
  if (meant && kept) {
    findings_.back().remedy.clear();
    write_instead(*v, meant->text, meant->certain, false);
  }
  return std::nullopt;
}

Declared<bool> TableReader::flag(std::string_view key) {
  if (is_watched()) note(key, {.kind = KeyKind::flag});
  const Value* v = value(key);
  if (v == nullptr) return std::nullopt;
  if (v->kind == ValueKind::boolean) return Located<bool>{v->boolean, v->place};
  const std::string word = is_texty(*v) ? model::in_small_letters(model::trimmed(v->text)) : "";
  if (v->kind == ValueKind::cell && (word == "true" || word == "false")) {
    return Located<bool>{word == "true", v->place};
  }
  std::optional<std::string_view> meant;
  for (const std::string_view yes : {"true", "yes", "y", "on", "1", "ja", "x"}) {
    if (word == yes) meant = "true";
  }
  for (const std::string_view no : {"false", "no", "n", "off", "0", "nein"}) {
    if (word == no) meant = "false";
  }
  if (v->kind == ValueKind::integer && (v->integer == 0 || v->integer == 1)) {
    meant = v->integer == 1 ? "true" : "false";
  }
  const bool kept = findings_.size() < most_findings_of_reading;
  wrong(*v, key, "true or false, without quotes");
  if (meant && kept) {
    findings_.back().remedy.clear();
    write_instead(*v, *meant, true, false);
  }
  return std::nullopt;
}

Declared<model::Duration> TableReader::duration(std::string_view key, model::Duration least) {
  if (is_watched()) note(key, {.kind = KeyKind::duration, .least_ns = least.count()});
  const Value* v = value(key);
  if (v == nullptr) return std::nullopt;
  if (v->kind == ValueKind::integer || v->kind == ValueKind::real) {
    const std::string n = found_text(*v);
    refused_.keys.emplace_back(key);
    const bool kept =
        report(RuleCode::P05, v->place, fmt::format("`{}` is {}, a number without a unit", key, n),
               fmt::format("write {0} = \"{1}ms\" or {0} = \"{1}s\", as meant", key, n));
    if (kept) {
      for (const std::string_view unit : {"ms", "s"}) {
        write_instead(*v, fmt::format("{}{}", n, unit), false, true);
      }
    }
    return std::nullopt;
  }
  if (!is_texty(*v)) {
    wrong(*v, key, "a duration in quotes with its unit, such as \"200ms\"");
    return std::nullopt;
  }
  const auto parsed_value = model::parse_duration(model::trimmed(v->text));
  if (!parsed_value) {
    refused_.keys.emplace_back(key);
    const auto meant = model::meant_duration(v->text);
    const bool minutes = meant && !meant->certain && meant->text.ends_with("min");
    const bool kept = report(
        RuleCode::P05, v->place, fmt::format("`{}`: {}", key, parsed_value.error()),
        minutes ? fmt::format("write {0} = \"{1}\", or \"{2}\" if milliseconds are meant", key,
                              meant->text, meant->text.substr(0, meant->text.size() - 3) + "ms")
        : meant ? std::string()
                : fmt::format("write it like {} = \"200ms\"", key));
    if (kept && meant) write_instead(*v, meant->text, meant->certain, true);
    return std::nullopt;
  }
  if (*parsed_value < least) {
    refused_.keys.emplace_back(key);
    report(RuleCode::P05, v->place, fmt::format("`{}` is {}", key, found_text(*v)),
           fmt::format("write at least \"{}\"", model::to_text(least)));
    return std::nullopt;
  }
  return Located<model::Duration>{*parsed_value, v->place};
}

Declared<model::AddressText> TableReader::address(std::string_view key) {
  if (is_watched()) note(key, {.kind = KeyKind::address});
  const Value* v = value(key);
  if (v == nullptr) return std::nullopt;
  const bool number = v->kind == ValueKind::integer;
  if (number && v->integer >= 0) return Located<model::AddressText>{{v->text, true}, v->place};
  if (is_texty(*v) && !model::trimmed(v->text).empty()) {
    return Located<model::AddressText>{
        {std::string(model::trimmed(v->text)), v->kind == ValueKind::cell}, v->place};
  }
  wrong(*v, key, "an address: 4096, 0x1000, \"hr:4096\", \"404097\" or the name of a point");
  return std::nullopt;
}

Declared<std::vector<Located<std::string>>> TableReader::texts(std::string_view key) {
  if (is_watched()) note(key, {.kind = KeyKind::texts});
  const Value* v = value(key);
  if (v == nullptr) return std::nullopt;
  Located<std::vector<Located<std::string>>> out{{}, v->place};
  for (const Value& item : list_of(*v)) {
    if (!is_texty(item) || model::trimmed(item.text).empty()) {
      wrong(item, key, "a list of texts, such as [\"a\", \"b\"]");
      return std::nullopt;
    }
    out.value.push_back({std::string(model::trimmed(item.text)), item.place});
  }
  return out;
}

Declared<std::vector<Located<std::int64_t>>> TableReader::integers(std::string_view key,
                                                                   std::int64_t least,
                                                                   std::int64_t most) {
  if (is_watched())
    note(key, {.kind = KeyKind::wholes,
               .least = static_cast<double>(least),
               .most = static_cast<double>(most)});
  const Value* v = value(key);
  if (v == nullptr) return std::nullopt;
  Located<std::vector<Located<std::int64_t>>> out{{}, v->place};
  for (const Value& item : list_of(*v)) {
    const auto number = whole_number(item);
    if (!number || *number < least || *number > most) {
      wrong(item, key, fmt::format("a list of whole numbers from {} to {}", least, most));
      return std::nullopt;
    }
    out.value.push_back({*number, item.place});
  }
  return out;
}

std::vector<Located<model::AddressText>> TableReader::addresses(std::string_view key) {
  if (is_watched()) note(key, {.kind = KeyKind::addresses});
  std::vector<Located<model::AddressText>> out;
  const Value* v = value(key);
  if (v == nullptr) return out;
  for (const Value& item : list_of(*v)) {
    if (is_texty(item)) {
      out.push_back({{std::string(model::trimmed(item.text)), false}, item.place});
    } else {
      wrong(item, key, "an address in quotes, such as \"hr:0\"");
    }
  }
  return out;
}

bool TableReader::is_word(std::string_view key, std::string_view word) {
  if (is_watched()) note(key, {.kind = KeyKind::words, .words = {std::string(word)}});
  const Value* v = value(key);
  return v != nullptr && is_texty(*v) && model::equal_in_any_case(model::trimmed(v->text), word);
}

const Value* TableReader::table(std::string_view key) {
  if (is_watched()) note(key, {.kind = KeyKind::table});
  const Value* v = value(key);
  if (v == nullptr && is_watched()) {
    return internal::KeyWatch::current()->opened(table_.place, key);
  }
  if (v == nullptr || v->kind == ValueKind::table) return v;
  wrong(*v, key, "a table: { ... }");
  return nullptr;
}

std::vector<const Value*> TableReader::tables(std::string_view key) {
  if (is_watched()) note(key, {.kind = KeyKind::tables});
  std::vector<const Value*> out;
  const Value* v = value(key);
  if (v == nullptr) return out;
  if (v->kind != ValueKind::array) {
    wrong(*v, key, "a list of tables: [ { ... }, { ... } ]");
    return out;
  }
  for (const Value& item : v->items) {
    if (item.kind == ValueKind::table) {
      out.push_back(&item);
    } else if (item.kind != ValueKind::refused) {
      wrong(item, key, "a table: { ... }");
    }
  }
  return out;
}

void TableReader::require(std::string_view key, std::string_view remedy) {
  if (is_watched()) internal::KeyWatch::current()->required(table_.place, key);
  if (value(key) != nullptr || refused_.contains(key)) return;
  if (report(RuleCode::P06, table_.place, fmt::format("`{}` is missing", key),
             std::string(remedy))) {
    findings_.back().about = key;
  }
}

namespace {

std::vector<std::string_view> each_once(const std::vector<std::string_view>& keys) {
  std::vector<std::string_view> out;
  for (const std::string_view key : keys) {
    if (std::find(out.begin(), out.end(), key) == out.end()) out.push_back(key);
  }
  return out;
}

}  // namespace

void TableReader::finish(const std::function<std::string(std::string_view)>& explain) {
  for (const Entry& entry : table_.entries) {
    if (std::find(known_.begin(), known_.end(), entry.key) != known_.end()) continue;
    const auto near = meant_key(entry.key);
    std::string remedy = explain ? explain(entry.key) : std::string();
    if (remedy.empty() && !near) remedy = internal::table_of_key(entry.key);
    if (remedy.empty()) {
      remedy = near ? fmt::format("write `{}`", near->name)
                    : fmt::format("known here: {}", fmt::join(each_once(known_), ", "));
    }
    const bool kept =
        report(RuleCode::P02, entry.place, fmt::format("unknown key `{}`", entry.key.substr(0, 60)),
               std::move(remedy));
    // what its default would cause is only a consequence
    if (near && table_.find(near->name) == nullptr) refused_.keys.push_back(near->name);
    if (!kept || !near) continue;
    findings_.back().about = near->name;
    add_fix(findings_.back(), {fmt::format("write `{}`", near->name),
                               {{entry.place, near->name}},
                               near->only && table_.find(near->name) == nullptr});
  }
}

// The key of this table that is meant by another one, if any.
std::optional<model::NearName> TableReader::meant_key(std::string_view key) const {
  const std::vector<std::string_view> keys = each_once(known_);
  for (const std::string_view known : keys) {
    if (model::bare_word(known) == model::bare_word(key))
      return model::NearName{std::string(known)};
  }
  return model::near_name(key, keys);
}

}  // namespace greymet::files
