// The columns of addresses of one table: what their numbers are written in, and what they count
// from. Not for use outside this folder.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "import_context.h"

namespace greymet::files::internal {

class AddressColumns {
 public:
  // Keeps what the context refers to.
  explicit AddressColumns(const ImportContext& in) : in_(in) {}

  // Decimal or hexadecimal; asks where nothing tells. First of all.
  void settle_base();
  // From 0, from 1, or references; says it in the map that is made. Behind settle_base().
  void settle_numbering();

  [[nodiscard]] bool is_hexadecimal() const { return hexadecimal_; }
  [[nodiscard]] std::optional<std::int64_t> number_of(const DraftRow& row) const;
  // "40001": its area, where it is a reference.
  [[nodiscard]] std::optional<model::Area> reference_of(const DraftRow& row) const;
  // The area that a second column of references names, where both columns agree.
  [[nodiscard]] std::optional<model::Area> other_reference_of(const DraftRow& row) const;
  // The value lies inside of the area.
  [[nodiscard]] bool fits(const DraftRow& row, model::Area area, std::int64_t number,
                          model::DataType type) const;
  // The number as a map has it.
  [[nodiscard]] std::string text_of(const DraftRow& row, std::int64_t number) const;

 private:
  [[nodiscard]] std::vector<ColumnCell> column() const;
  [[nodiscard]] std::vector<std::string> samples_of_base() const;
  void settle_by_other();
  bool settle_by_difference();

  ImportContext in_;
  bool hexadecimal_ = false;
  bool agreeing_ = false;  // two columns of addresses say the same
};

}  // namespace greymet::files::internal
