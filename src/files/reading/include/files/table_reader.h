// Typed access to one table of a file, with findings for what does not fit.
#pragma once

#include <functional>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "files/plan_keys.h"
#include "files/value_tree.h"
#include "model/address.h"
#include "model/ascii_text.h"
#include "model/finding.h"
#include "model/nearest_name.h"
#include "model/range.h"
#include "model/strong.h"
#include "model/text_slips.h"

namespace greymet::files {

// Reads the keys of one table. Every accessor makes its key known; `finish` reports all others as
// P02. Values of the wrong kind or out of range are reported as P05 and come back as left out.
class TableReader {
 public:
  // `table` and `findings` must outlive the reader.
  TableReader(const Value& table, model::Subject subject, model::Findings& findings);

  [[nodiscard]] model::Declared<std::string> text(std::string_view key);
  [[nodiscard]] model::Declared<std::int64_t> integer(std::string_view key, std::int64_t least,
                                                      std::int64_t most);
  [[nodiscard]] model::Declared<double> number(std::string_view key, double least, double most);
  [[nodiscard]] model::Declared<bool> flag(std::string_view key);
  // A duration within [least, 31 days].
  [[nodiscard]] model::Declared<model::Duration> duration(std::string_view key,
                                                          model::Duration least);
  [[nodiscard]] model::Declared<model::AddressText> address(std::string_view key);
  // Lists: an array, one value alone, or in CSV a cell with blanks between the values.
  [[nodiscard]] model::Declared<std::vector<model::Located<std::string>>> texts(
      std::string_view key);
  [[nodiscard]] model::Declared<std::vector<model::Located<std::int64_t>>> integers(
      std::string_view key, std::int64_t least, std::int64_t most);
  [[nodiscard]] std::vector<model::Located<model::AddressText>> addresses(std::string_view key);
  // One of a few words, in any case of its letters.
  template <class E>
  [[nodiscard]] model::Declared<E> choice(std::string_view key,
                                          std::span<const std::pair<std::string_view, E>> words);
  // A word that `parse` understands; `expected` says which.
  // `meant` may know what was meant where it does not understand.
  using MeaningOf = std::function<std::optional<model::Meant>(std::string_view)>;
  template <class T>
  [[nodiscard]] model::Declared<T> parsed(
      std::string_view key, const std::function<std::optional<T>(std::string_view)>& parse,
      std::string_view expected, const MeaningOf& meant = {});
  // True if the key holds exactly this text.
  [[nodiscard]] bool is_word(std::string_view key, std::string_view word);
  // Whatever stands there, or null.
  [[nodiscard]] const Value* anything(std::string_view key);
  // A value that `anything` brought is not what was `expected`.
  void refuse(const Value& found, std::string_view key, std::string_view expected) {
    wrong(found, key, expected);
  }
  // A sub-table, an array of tables, or null.
  [[nodiscard]] const Value* table(std::string_view key);
  [[nodiscard]] std::vector<const Value*> tables(std::string_view key);

  // Keys whose values have been refused so far.
  [[nodiscard]] const model::RefusedKeys& refused() const { return refused_; }
  // Reports P06 if the key is not there.
  void require(std::string_view key, std::string_view remedy);
  // Reports P02 for every key that no accessor asked for. `explain` may give a better remedy.
  void finish(const std::function<std::string(std::string_view)>& explain = {});

  // False where there are so many findings that this one is not kept.
  bool report(model::RuleCode rule, model::Range place, std::string message, std::string remedy);
  [[nodiscard]] model::Range place() const { return table_.place; }
  [[nodiscard]] const model::Subject& subject() const { return subject_; }
  [[nodiscard]] model::Findings& findings() { return findings_; }

 private:
  [[nodiscard]] const Value* value(std::string_view key);
  void wrong(const Value& value, std::string_view key, std::string_view expected,
             const std::optional<model::Meant>& meant = std::nullopt);
  void write_instead(const Value& value, std::string_view text, bool certain, bool quoted);
  [[nodiscard]] std::optional<model::NearName> meant_key(std::string_view key) const;
  // Somebody wants to know what is asked: see plan_keys.h.
  [[nodiscard]] static bool is_watched();
  void note(std::string_view key, KeyForm form) const;
  void note_words(std::string_view key, KeyKind kind, std::string_view expected) const;
  template <class T>
  [[nodiscard]] model::Declared<T> parsed_as(
      KeyKind kind, std::string_view key,
      const std::function<std::optional<T>(std::string_view)>& parse, std::string_view expected,
      const MeaningOf& meant);
  [[nodiscard]] std::optional<std::int64_t> whole_number(const Value& value) const;

  const Value& table_;
  model::Subject subject_;
  model::Findings& findings_;
  std::vector<std::string_view> known_;
  model::RefusedKeys refused_;
};

template <class T>
model::Declared<T> TableReader::parsed(
    std::string_view key, const std::function<std::optional<T>(std::string_view)>& parse,
    std::string_view expected, const MeaningOf& meant) {
  return parsed_as<T>(KeyKind::grammar, key, parse, expected, meant);
}

template <class T>
model::Declared<T> TableReader::parsed_as(
    KeyKind kind, std::string_view key,
    const std::function<std::optional<T>(std::string_view)>& parse, std::string_view expected,
    const MeaningOf& meant) {
  if (is_watched()) note_words(key, kind, expected);
  const Value* v = value(key);
  if (v == nullptr) return std::nullopt;
  const bool is_text = v->kind == ValueKind::text || v->kind == ValueKind::cell;
  if (is_text) {
    if (auto found = parse(model::trimmed(v->text))) {
      return model::Located<T>{*std::move(found), v->place};
    }
  }
  wrong(*v, key, expected, is_text && meant ? meant(v->text) : std::nullopt);
  return std::nullopt;
}

template <class E>
model::Declared<E> TableReader::choice(std::string_view key,
                                       std::span<const std::pair<std::string_view, E>> words) {
  std::string expected = "one of";
  for (const auto& [word, ignored] : words) {
    expected += expected.size() > 6 ? ", \"" : " \"";
    expected += word;
    expected += '"';
  }
  return parsed_as<E>(
      KeyKind::words, key,
      [words](std::string_view text) -> std::optional<E> {
        for (const auto& [word, meaning] : words) {
          if (model::equal_in_any_case(word, text)) return meaning;
        }
        return std::nullopt;
      },
      expected,
      [words](std::string_view text) -> std::optional<model::Meant> {
        std::vector<std::string_view> known;
        for (const auto& [word, ignored] : words) {
          if (model::bare_word(word) == model::bare_word(text)) {
            return model::Meant{std::string(word), true};
          }
          known.push_back(word);
        }
        const auto near = model::near_name(text, known);
        if (!near) return std::nullopt;
        return model::Meant{near->name, near->only};
      });
}

}  // namespace greymet::files
