// Which exchange the programs of controllers were made of, as they tell it themselves. Not for use
// outside this folder.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "live/hand.h"
#include "model/resolved_plan.h"

namespace greymet::cli::internal {

// What a controller told of the exchange that is loaded in it, against the plan's.
struct LoadedProgram {
  std::size_t controller = 0;  // into Plan::controllers
  std::string asked;           // "hr:900"; empty where nobody can ask
  std::uint16_t wanted = 0;
  std::optional<std::uint16_t> told;
  std::string why_not;  // where it could not be asked

  [[nodiscard]] bool is_other() const { return told && *told != wanted; }
  // "runs another exchange: it tells 1234, this plan's is 59BF", "runs this exchange (59BF)"
  [[nodiscard]] std::string text() const;
};

// Controllers with a word for it, in the order of the plan.
[[nodiscard]] std::vector<std::size_t> telling_controllers(const model::ResolvedPlan& plan);

// One read, without a second try: of a controller that has such a word. Blocks until it has ended.
[[nodiscard]] LoadedProgram ask_loaded_program(const model::ResolvedPlan& plan,
                                               std::size_t controller, live::HandOptions how);

}  // namespace greymet::cli::internal
