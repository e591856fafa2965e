#include "model/tag.h"

#include <array>
#include <utility>

#include <fmt/format.h>

#include "model/ascii_text.h"

namespace greymet::model {
namespace {

struct IecName {
  std::string_view name;
  TagType type;
};

// IEC 61131-3, elementary data types
constexpr std::array iec_names{
    IecName{"BOOL", {{TypeKind::boolean, 0}, false}}, IecName{"INT", {{TypeKind::i16, 0}, false}},
    IecName{"UINT", {{TypeKind::u16, 0}, false}},     IecName{"DINT", {{TypeKind::i32, 0}, false}},
    IecName{"UDINT", {{TypeKind::u32, 0}, false}},    IecName{"LINT", {{TypeKind::i64, 0}, false}},
    IecName{"ULINT", {{TypeKind::u64, 0}, false}},    IecName{"REAL", {{TypeKind::f32, 0}, false}},
    IecName{"LREAL", {{TypeKind::f64, 0}, false}},    IecName{"WORD", {{TypeKind::bits, 0}, true}},
    IecName{"DWORD", {{TypeKind::u32, 0}, true}},     IecName{"LWORD", {{TypeKind::u64, 0}, true}},
};

}  // namespace

std::optional<TagType> tag_type_from(std::string_view text) {
  for (const IecName& entry : iec_names) {
    if (equal_in_any_case(entry.name, text)) return entry.type;
  }
  constexpr std::string_view head = "STRING";
  if (text.size() > head.size() + 2 && equal_in_any_case(text.substr(0, head.size()), head)) {
    const std::string_view rest = text.substr(head.size());
    const bool square = rest.front() == '[' && rest.back() == ']';
    const bool round = rest.front() == '(' && rest.back() == ')';
    if (!square && !round) return std::nullopt;
    const auto type = data_type_from(fmt::format("text({})", rest.substr(1, rest.size() - 2)));
    if (!type) return std::nullopt;
    return TagType{*type, false};
  }
  const auto type = data_type_from(text);
  if (!type) return std::nullopt;
  return tag_type_of(*type);
}

std::string to_text(TagType type) {
  if (type.type.kind == TypeKind::text) return fmt::format("STRING[{}]", type.type.characters);
  for (const IecName& entry : iec_names) {
    if (entry.type == type) return std::string(entry.name);
  }
  return to_text(type.type);
}

TagType tag_type_of(DataType type) {
  return {type, type.kind == TypeKind::bits};
}

Range place_of(const Tag& tag, TagCell cell) {
  const CellSpot& spot = tag.cells[static_cast<std::size_t>(cell)];
  if (spot.column == 0) return tag.place;
  return {tag.place.file, tag.place.line, spot.column, tag.place.line, spot.end_column};
}

}  // namespace greymet::model
