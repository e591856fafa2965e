// Which column of a maker's table is what, told by its heading and by what stands in it. Not for
// use outside this folder.
#pragma once

#include <map>
#include <string>
#include <string_view>
#include <vector>

#include "table_import.h"

namespace greymet::files::internal {

class ColumnsOfTable {
 public:
  // Keeps references.
  ColumnsOfTable(const Grid& grid, const HeadingRows& heading);

  [[nodiscard]] bool has(Column column) const { return at_.contains(column); }
  [[nodiscard]] const Heading& heading_of(Column column) const;
  // The text under it; empty where there is none.
  [[nodiscard]] std::string cell(std::size_t row, Column column) const;
  [[nodiscard]] std::string cell(std::size_t row, std::size_t column) const;
  // Columns of addresses, the one that counts first.
  [[nodiscard]] const std::vector<std::size_t>& addresses() const { return addresses_; }
  [[nodiscard]] const Heading& heading_at(std::size_t column) const {
    return heading_.headings[column];
  }
  // Columns that are nothing to us: kept, without effect.
  [[nodiscard]] const std::vector<std::size_t>& extra() const { return extra_; }
  // "'Scale' is taken for factor", and what was told by contents.
  [[nodiscard]] const std::vector<std::string>& notes() const { return notes_; }
  // The heading of that column as it stands there; empty where there is none.
  [[nodiscard]] std::string text_of(Column column) const;
  [[nodiscard]] const std::vector<std::string>& texts() const { return heading_.texts; }
  [[nodiscard]] std::size_t first_row() const { return heading_.first + heading_.count; }

 private:
  void take(std::size_t column, Column as, bool say);
  void look_inside();
  void choose_names();
  void move(Column from, Column to, std::string_view why);
  // Share of the cells below that are such; of those that are not empty.
  template <class Is>
  [[nodiscard]] double share(std::size_t column, const Is& is) const;

  const Grid& grid_;
  HeadingRows heading_;
  std::map<Column, std::size_t> at_;
  std::vector<std::size_t> addresses_;
  std::vector<std::size_t> extra_;
  std::vector<std::string> notes_;
};

}  // namespace greymet::files::internal
