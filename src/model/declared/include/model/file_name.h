// The one answer to what file a thing gets: names that every operating system can store, and that
// are never alike for two things.
#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace greymet::model {

// A name for a file, without ending, made of the name of a thing: letters, digits, '-' and '_', of
// 80 at most; what a system keeps for its devices (CON, aux, com1) gets a '_'. Two names may give
// the same.
[[nodiscard]] std::string file_name_of(std::string_view name);

// Names for all things of one kind, parallel to theirs, which must differ. Where several would be
// alike, capitals aside, all but the one that is called so itself get a part of their hash: each
// name of a file depends on the names alone, not on their order.
[[nodiscard]] std::vector<std::string> file_names_of(const std::vector<std::string>& names);

// The names of things, as file_names_of() takes them.
template <class Thing>
[[nodiscard]] std::vector<std::string> names_of(const std::vector<Thing>& things) {
  std::vector<std::string> names;
  for (const Thing& thing : things) names.push_back(thing.name);
  return names;
}

// True for names of files that some file system takes for the same.
[[nodiscard]] bool are_alike_as_files(std::string_view one, std::string_view other);

}  // namespace greymet::model
