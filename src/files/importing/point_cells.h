// The cells of a point that are no address, type or scale: order, range, access, names. Not for use
// outside this folder.
#pragma once

#include <map>
#include <set>
#include <string>
#include <string_view>
#include <vector>

#include "import_context.h"

namespace greymet::files::internal {

// Cells by the columns of our maps.
using PointCells = std::map<std::string_view, std::string>;

class CellFiller {
 public:
  // Keeps what the context refers to.
  explicit CellFiller(const ImportContext& in) : in_(in) {}

  // Refuses the row where a cell that decides how the value is read or written is not understood.
  // `factor` is that of the row, empty for none.
  void fill(DraftRow& row, model::Area area, model::DataType type, const std::string& factor,
            PointCells& cells);
  // Asks what is open, and says what was taken for granted or left where it is.
  void finish();

  [[nodiscard]] const std::vector<std::string>& not_taken() const { return not_taken_; }

 private:
  void fill_offset(DraftRow& row, PointCells& cells) const;
  void fill_order(const DraftRow& row, model::DataType type, PointCells& cells);
  void fill_range(const DraftRow& row, const std::string& factor, model::DataType type,
                  PointCells& cells);
  void fill_write_functions(const DraftRow& row, model::Area area, PointCells& cells) const;
  void fill_access(DraftRow& row, model::Area area, PointCells& cells);
  void fill_names(const DraftRow& row, model::DataType type, PointCells& cells) const;

  ImportContext in_;
  std::size_t no_access_ = 0;
  std::set<std::string> orders_;
  std::vector<std::string> doubtful_orders_;
  std::vector<std::string> not_taken_;
};

}  // namespace greymet::files::internal
