// Plans in which one list grows, for the benchmark of growth.
#pragma once

#include <cstddef>
#include <map>
#include <string>
#include <string_view>
#include <vector>

namespace greymet::bench {

// What stands in the folder of a plan.
struct Site {
  std::string plan;                                           // p.toml
  std::string map = "point,area,address,type\np,hr,0,u16\n";  // m.csv
  std::string tags = "tag,address,type,from\n";               // t.csv
  std::map<std::string, std::string> others = {};             // further files by name
};

// A list and what makes a plan with so many of it.
struct List {
  const char* name;
  std::size_t smallest;  // it is made so large, twice and four times so large
  Site (*site)(std::size_t);
};

[[nodiscard]] const std::vector<List>& growing_lists();

// `count` rows, each made of its number.
[[nodiscard]] std::string rows(std::size_t count, std::string_view row);
// `transactions` within an [exchange], other lists of it in front.
[[nodiscard]] std::string exchange_of(const std::string& transactions,
                                      const std::string& lists = {});
// Controllers in a ring, each writing to the next one.
[[nodiscard]] std::string ring_of_controllers(std::size_t count, std::string_view every);

}  // namespace greymet::bench
