// What words and keys mean, looked up in the pages of docs/ that say so.
#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace greymet::cli {

// One meaning, ready to be shown: code in backticks, no links.
struct WordMeaning {
  std::string title;  // "park", "`park`, a key of [line.NAME]"
  std::string text;
  std::string usual;  // what holds where a key is left out; empty where nothing is said
};

// Two kinds of tables, in Markdown: rows "| **word** (also, also) | meaning |", and below headings
// rows "| `key`, `key` | meaning | default |". Anything else is passed over. Whole in memory.
class WordBook {
 public:
  // `glossary`: words. `plan_page`: keys.
  WordBook(std::string_view glossary, std::string_view plan_page);

  // All meanings of a word, in any case, or of a key, with or without backticks and `=`.
  [[nodiscard]] std::vector<WordMeaning> meanings_of(std::string_view word) const;
  // The same of a key under one heading of the page: "[slave.NAME]", "A transaction".
  [[nodiscard]] std::vector<WordMeaning> meanings_under(std::string_view heading,
                                                        std::string_view key) const;
  // What can be looked up, each once, in the order of the alphabet.
  [[nodiscard]] std::vector<std::string> words() const;
  // The words of the glossary alone, as it writes them.
  [[nodiscard]] const std::vector<std::string>& glossary_words() const { return glossary_words_; }

 private:
  struct Entry {
    std::vector<std::string> names;
    WordMeaning meaning;
    std::string heading = {};  // of a key
  };
  std::vector<Entry> entries_;
  std::vector<std::string> glossary_words_;
};

// Of the pages that the program carries.
[[nodiscard]] const WordBook& word_book();

// What a key of a table of the plan means, and what holds where it is left out, as one line; the
// path is that of files/plan_keys.h. Empty where the page says nothing of it.
[[nodiscard]] std::string key_help(std::string_view path, std::string_view key);

}  // namespace greymet::cli
