// How values are scaled, and what may scale them. Not for use outside this folder.
#pragma once

#include <optional>
#include <set>
#include <string>

#include "import_context.h"

namespace greymet::files::internal {

class ValueScales {
 public:
  // Keeps what the context refers to.
  explicit ValueScales(const ImportContext& in) : in_(in) {}

  // Whether a column that may multiply or divide does this or that; asks where nothing tells.
  void settle();
  // The factor of a row, empty for none, and its unit without what scales; nothing and a trouble
  // where its cells do not make one. `type` is that of the row.
  [[nodiscard]] std::optional<std::string> factor_of(DraftRow& row, model::DataType type,
                                                     std::string& unit);
  // Asks about a column of powers of ten under a heading that nobody knows.
  void ask_about(std::size_t column) const;

  // For what is said of the whole table.
  [[nodiscard]] const std::set<std::string>& units_that_scale() const { return in_units_; }
  [[nodiscard]] bool scales_by_decimals() const { return by_decimals_; }

 private:
  [[nodiscard]] std::optional<std::string> factor_by_column(Column column,
                                                            const ScaleCell& scale) const;
  [[nodiscard]] std::string heading_text(Column column) const;

  ImportContext in_;
  std::string scale_ = "multiply";
  std::set<std::string> in_units_;
  bool by_decimals_ = false;
};

}  // namespace greymet::files::internal
