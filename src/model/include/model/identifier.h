// Names of variables, made of the names of things.
#pragma once

#include <set>
#include <string>
#include <string_view>

namespace greymet::model {

// Letters, digits and underscores, a letter first, no two underscores in a row and none at the end:
// an identifier of IEC 61131-3, 2.1.2.
[[nodiscard]] std::string identifier(std::string_view name);

// Gives each name once, whatever the case of its letters: a second one gets a number.
class UniqueNames {
 public:
  // `name`, or `name_2` and so on where it was taken before.
  [[nodiscard]] std::string take(const std::string& name);

 private:
  std::set<std::string> taken_;  // in small letters
};

}  // namespace greymet::model
