// Everything that can be explained, searched by the words in which somebody asks.
#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace greymet::cli {

// How much it counts that a word is in a name or title, of each word.
inline constexpr int weight_of_name = 3;

// Something that `explain` can be asked.
struct Explanation {
  std::string name;   // what to write behind `greymet explain`: "zeros", "F09", "park"
  std::string title;  // "a value that is always zero"
  bool is_symptom = false;
  int weight = 0;  // the more, the nearer to what was asked
};

// Symptoms, rules, words and keys that have the words of the text, whatever their case and ending
// ("zero" finds "zeros"): all of them, or as many as any has, and half of them at least; a number
// that no measured value is (6.2e-39) finds the symptom of such. The nearest first, each once.
// Empty for a text without a word that tells anything.
[[nodiscard]] std::vector<Explanation> explanations_of(std::string_view text);

}  // namespace greymet::cli
