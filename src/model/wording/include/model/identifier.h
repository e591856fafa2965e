// Names of variables, made of the names of things.
#pragma once

#include <map>
#include <set>
#include <string>
#include <string_view>

namespace greymet::model {

// Letters, digits and underscores, a letter first, no two underscores in a row and none at the end,
// 60 at most (longer ones end with a number made of the whole), and no word that IEC 61131-3 keeps:
// keywords, elementary and generic types, standard functions and function blocks, whatever the case
// of their letters (2.1.2, 2.1.3, 2.3.1, 2.5.1.5, 2.5.2.3, annex C). An identifier of that
// standard.
[[nodiscard]] std::string identifier(std::string_view name);

// True for a word that IEC 61131-3 keeps for itself.
[[nodiscard]] bool is_kept_by_iec(std::string_view word);

// Gives each name once, whatever the case of its letters: a second one gets a number.
class UniqueNames {
 public:
  // `name`, or `name_2` and so on where it was taken before.
  [[nodiscard]] std::string take(const std::string& name);

 private:
  std::set<std::string> taken_;         // in small letters
  std::map<std::string, int> numbers_;  // the last one that each was given
};

}  // namespace greymet::model
