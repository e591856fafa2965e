// Types of rows and the registers that they take, told by types, lengths, ranges and what stands
// next to each other. Not for use outside this folder.
#pragma once

#include <map>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "address_columns.h"
#include "import_context.h"

namespace greymet::files::internal {

// The type that a row names by itself; nothing where it is open.
[[nodiscard]] std::optional<model::DataType> plain_type(const DraftRow& row, bool hexadecimal);
// Registers from the first to the last of a range.
[[nodiscard]] std::optional<std::uint32_t> registers_of_range(const DraftRow& row,
                                                              bool hexadecimal);

// What a row is: its type, and so many values of it behind each other.
struct RowType {
  model::DataType type;
  std::uint32_t copies = 1;
};

class ValueTypes {
 public:
  // Keeps what the context and `addresses` refer to, whose base is settled.
  ValueTypes(const ImportContext& in, const AddressColumns& addresses)
      : in_(in), addresses_(addresses) {}

  // Lengths that nothing says: told by where the next value stands, or by a person.
  void settle_lengths();
  // Nothing where it is asked, or where the row was refused.
  [[nodiscard]] std::optional<RowType> type_of(DraftRow& row, model::Area area);
  // Asks what is open, and says what was taken for granted. Behind all rows.
  void finish();

 private:
  [[nodiscard]] bool has_negative(const DraftRow& row) const;
  [[nodiscard]] std::optional<std::uint32_t> registers_said(const Length& length) const;
  [[nodiscard]] std::optional<model::DataType> type_by_length(DraftRow& row);
  void settle(DraftRow& row);
  void length_question(DraftRow& row);
  std::uint32_t room_of(const std::string& text);
  std::optional<std::uint32_t> copies_of(DraftRow& row, model::DataType type);

  ImportContext in_;
  const AddressColumns& addresses_;
  std::map<std::string, std::uint32_t> rooms_;
  std::set<std::string> unsigned_;
  std::vector<std::string> no_type_;
  std::vector<std::string> length_samples_;
};

}  // namespace greymet::files::internal
