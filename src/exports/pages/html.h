// Building pages of HTML. Not for use outside this folder.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "exports/table_pages.h"
#include "model/strong.h"

namespace greymet::exports {

// Text of people as text of HTML; what cannot be seen is shown escaped.
[[nodiscard]] std::string html(std::string_view text);
// "12.4", rounded up, or a dash where there is nothing.
[[nodiscard]] std::string limit_html(const std::optional<model::Duration>& d);
// A picture that the page holds itself.
[[nodiscard]] std::string picture_html(std::string_view svg, std::string_view caption);

// A table, row by row. Cells are HTML; those of columns marked '>' are numbers.
class HtmlTable {
 public:
  // "name", ">period ms"
  explicit HtmlTable(const std::vector<std::string>& heading);
  void row(const std::vector<std::string>& cells, std::string_view of_class = {});
  // The table, or `none` in a paragraph where no row was added.
  [[nodiscard]] std::string text(std::string_view none) const;

 private:
  std::vector<bool> numbers_;
  std::string text_;
  std::size_t rows_ = 0;
};

// The page around its body.
[[nodiscard]] std::string page_html(std::string_view title, std::string_view body);

// A word with a colour: good, warn or bad.
[[nodiscard]] std::string mark_html(std::string_view kind, std::string_view text);

}  // namespace greymet::exports
