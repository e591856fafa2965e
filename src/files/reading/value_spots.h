// Places of values, as small tables name them. Not for use outside this folder.
#pragma once

#include <map>
#include <optional>
#include <string>
#include <utility>

#include "engine/stated_value.h"
#include "files/table_rows.h"

namespace greymet::files::internal {

// "slave.point", "controller.%MW100", "controller.%MW100.3", "controller.tag"; each once in a
// table.
class Spots {
 public:
  explicit Spots(const model::ResolvedPlan& plan) : plan_(plan) {}

  // Of the row's `where`. `when`: the same place may stand again with another one.
  std::optional<engine::ValueSpot> read(RowReader& in, model::Duration when = {});

 private:
  std::optional<engine::ValueSpot> point_of(RowReader& in, const Cell& c, std::size_t slave,
                                            const std::string& name, engine::ValueSpot spot) const;
  std::optional<engine::ValueSpot> memory_of(RowReader& in, const Cell& c, std::size_t controller,
                                             const std::string& text, engine::ValueSpot spot) const;
  // Words that its type says how to read; one word or bit stays what it is.
  std::optional<engine::ValueSpot> tag_of(RowReader& in, const Cell& c,
                                          const model::ResolvedTag& tag,
                                          engine::ValueSpot spot) const;
  [[nodiscard]] std::string example(std::size_t controller) const;

  const model::ResolvedPlan& plan_;
  std::map<std::pair<std::string, model::Duration>, std::size_t> seen_;  // with their rows
};

}  // namespace greymet::files::internal
