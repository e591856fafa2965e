// Where a plan and its tables name a thing: for definitions, references and renaming.
#pragma once

#include <compare>
#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include "editor/plan_view.h"
#include "model/subject.h"

namespace greymet::editor {

// A stretch of one of the plan's files.
struct FileSpan {
  std::uint32_t file = 0;
  files::Span span;
  friend bool operator==(const FileSpan&, const FileSpan&) = default;
};

// A thing that has a name. `map`: of a point, the file it stands in.
struct Thing {
  model::SubjectKind kind = model::SubjectKind::plan;
  std::string name;
  std::string map = {};
  friend auto operator<=>(const Thing&, const Thing&) = default;
  friend bool operator==(const Thing&, const Thing&) = default;
};

// Its name where it stands, without quotes.
struct Occurrence {
  Thing thing;
  FileSpan where;
  bool is_definition = false;
};

// All that is named, in the order of the files. Patterns name nothing.
[[nodiscard]] std::vector<Occurrence> occurrences_in(const PlanView& view);
// The one at a byte, or null.
[[nodiscard]] const Occurrence* occurrence_at(const std::vector<Occurrence>& all,
                                              std::uint32_t file, std::size_t byte);

// "slave.point" or "controller.%MW3" as its two parts; the longest name that is there.
struct PlaceParts {
  bool at_slave = false;
  std::size_t owner = 0;   // into the plan's slaves or controllers
  std::string owner_name;  // as it is written
  std::string rest;
};
[[nodiscard]] std::optional<PlaceParts> parts_of_place(const PlanView& view,
                                                       std::string_view place);

// A range of a controller's memory.
struct MemoryPlace {
  std::size_t controller = 0;
  model::MemoryRange range;
};
// The memory that stands at a byte: in the plan, a tag, a row of a table, or as the end of a path.
[[nodiscard]] std::optional<MemoryPlace> memory_at(const PlanView& view, std::uint32_t file,
                                                   std::size_t byte);

// Where the thing or memory at a byte is made: its table, its row of the map; of memory what fills
// it, else its area.
[[nodiscard]] std::vector<FileSpan> definitions_at(const PlanView& view, std::uint32_t file,
                                                   std::size_t byte);
// Where it is used; of memory every use that touches it.
[[nodiscard]] std::vector<FileSpan> references_at(const PlanView& view, std::uint32_t file,
                                                  std::size_t byte, bool with_definition);

}  // namespace greymet::editor
