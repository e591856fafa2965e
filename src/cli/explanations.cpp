#include "cli/explanations.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdlib>
#include <set>

#include <fmt/format.h>

#include "checks/catalogue.h"
#include "checks/symptoms.h"
#include "cli/word_book.h"
#include "model/ascii_text.h"

namespace greymet::cli {

namespace {

using Words = std::vector<std::string>;

// Without its ending: "zeros" and "zero", "times" and "timed" are one word to who searches.
std::string stem_of(std::string word) {
  for (const std::string_view ending : {"ing", "es", "ed", "s", "e"}) {
    constexpr std::size_t shortest = 3;
    if (word.size() >= shortest + ending.size() && word.ends_with(ending)) {
      word.resize(word.size() - ending.size());
      break;
    }
  }
  return word;
}

Words words_of(std::string_view text) {
  static const std::set<std::string, std::less<>> empty_words{
      "a",    "an",   "and", "are", "at",  "but", "by",   "do",   "does", "for", "from", "has",
      "have", "i",    "in",  "is",  "it",  "its", "me",   "my",   "of",   "on",  "or",   "so",
      "than", "that", "the", "to",  "too", "was", "what", "when", "why",  "with"};
  Words out;
  std::string word;
  const auto end = [&] {
    if (!word.empty() && empty_words.count(word) == 0) out.push_back(stem_of(word));
    word.clear();
  };
  for (const char c : text) {
    if (model::is_letter(c) || model::is_digit(c)) {
      word += c >= 'A' && c <= 'Z' ? static_cast<char>(c - 'A' + 'a') : c;
    } else {
      end();
    }
  }
  end();
  return out;
}

// More than any weight of a word: who has more of the words is nearer, wherever they stand.
constexpr int for_each_word = 100;

// How many of the words are said, and where.
class Query {
 public:
  // The first of them tell what is asked.
  static constexpr std::size_t most_words = 20;
  explicit Query(std::string_view text) : words_(words_of(text)) {
    if (words_.size() > most_words) words_.resize(most_words);
  }
  [[nodiscard]] bool empty() const { return words_.empty(); }
  [[nodiscard]] int words() const { return static_cast<int>(words_.size()); }

  // Texts with how much it counts to be named there.
  struct Part {
    std::string_view text;
    int weight = 1;
  };
  template <std::size_t n>
  [[nodiscard]] int weight_in(const std::array<Part, n>& parts) const {
    std::vector<int> best(words_.size());
    for (const Part& part : parts) {
      for (const std::string& said : words_of(part.text)) {
        for (std::size_t i = 0; i < words_.size(); ++i) {
          if (said == words_[i]) best[i] = std::max(best[i], part.weight);
        }
      }
    }
    int sum = 0;
    for (const int each : best) {
      if (each > 0) sum += each + for_each_word;
    }
    return sum;
  }

 private:
  Words words_;
};

// What words in the wrong order make of a float: far from anything that is measured.
bool is_no_measured_number(std::string_view text) {
  const std::string number(text);
  char* end = nullptr;
  const double value = std::abs(std::strtod(number.c_str(), &end));
  constexpr double least = 1e-20;
  constexpr double greatest = 1e20;
  return !number.empty() && end == number.c_str() + number.size() && value > 0 &&
         (value < least || value > greatest);
}

}  // namespace

std::vector<Explanation> explanations_of(std::string_view text) {
  std::vector<Explanation> out;
  constexpr int named = weight_of_name;
  constexpr int told = 2;
  if (is_no_measured_number(text)) {
    const checks::Symptom* const tiny = checks::symptom_named("tiny");
    if (tiny != nullptr) {
      return {{std::string(tiny->name), std::string(tiny->title), true, named}};
    }
  }
  const Query query(text);
  if (query.empty()) return out;
  const auto add = [&](std::string name, std::string title, bool is_symptom, int weight) {
    if (weight > 0) out.push_back({std::move(name), std::move(title), is_symptom, weight});
  };
  for (const checks::Symptom& each : checks::symptoms()) {
    std::string told_of(each.meaning);
    for (const checks::Look& look : each.looks) told_of.append(" ").append(look.at);
    add(std::string(each.name), std::string(each.title), true,
        query.weight_in<4>(
            {{{each.name, named}, {each.title, named}, {each.also, named}, {told_of, 1}}}));
  }
  for (const checks::RuleEntry& each : checks::catalogue()) {
    add(std::string(to_string(each.code)), std::string(each.title), false,
        query.weight_in<2>({{{each.title, told}, {each.why, 1}}}));
  }
  for (const std::string& each : word_book().words()) {
    for (const WordMeaning& meaning : word_book().meanings_of(each)) {
      add(each, meaning.title, false,
          query.weight_in<3>({{{each, named}, {meaning.title, told}, {meaning.text, 1}}}));
    }
  }
  std::stable_sort(out.begin(), out.end(), [](const Explanation& a, const Explanation& b) {
    return a.weight != b.weight ? a.weight > b.weight : a.is_symptom && !b.is_symptom;
  });
  // all that have as many of the words as any has, if that is half of them
  const int most = out.empty() ? 0 : out.front().weight / for_each_word;
  std::erase_if(out, [&](const Explanation& each) {
    return 2 * most < query.words() || each.weight / for_each_word < most;
  });
  for (Explanation& each : out) each.weight %= for_each_word;
  // a word may mean several things, and all of them are told at once
  std::set<std::string> told_names;
  std::erase_if(out, [&](const Explanation& each) { return !told_names.insert(each.name).second; });
  return out;
}

}  // namespace greymet::cli
