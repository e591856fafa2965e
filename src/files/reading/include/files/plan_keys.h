// The one table of keys of a plan: what its reader asks for, as it asks. Help, completion and the
// JSON Schema are made of it.
#pragma once

#include <cstdint>
#include <limits>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace greymet::files {

// What may stand at a key. `words`: a text, one of a few; `grammar`: a text of a certain form, of
// which there are examples.
enum class KeyKind : std::uint8_t {
  text,
  whole,
  number,
  flag,
  duration,
  address,
  words,
  grammar,
  texts,
  wholes,
  addresses,
  table,
  tables,
  anything
};

// One form that a key may have.
struct KeyForm {
  KeyKind kind = KeyKind::anything;
  double least = std::numeric_limits<double>::lowest();  // of numbers
  double most = std::numeric_limits<double>::max();
  std::int64_t least_ns = 0;            // of durations
  std::vector<std::string> words = {};  // of `words` all there are, in any case of letters; of
                                        // `grammar` examples
  friend bool operator==(const KeyForm&, const KeyForm&) = default;
};

// One key. `required`: by every reader of its table, whatever else stands there.
struct PlanKey {
  std::string name;
  std::vector<KeyForm> forms;
  bool required = false;
};

// One kind of table. The path names it, "*" where the plan gives a name: "", "plan", "line.*",
// "line.*.park", "controller.*.memory.*", "exchange.transactions", "exchange.transactions.read".
// "model" is a controller's model file. Of tables whose keys are names ("line") there is no entry.
struct PlanTable {
  std::string path;
  std::vector<PlanKey> keys;

  // The key of that name, or null.
  [[nodiscard]] const PlanKey* find(std::string_view name) const;
};

// All of them, in the order of the reader. Made once; lives as long as the program.
[[nodiscard]] std::span<const PlanTable> plan_tables();
// The table of that path, or null.
[[nodiscard]] const PlanTable* plan_table(std::string_view path);
// As people call it: "[line.NAME]", "`park` of [line.NAME]", "a transaction".
[[nodiscard]] std::string name_of_table(std::string_view path);

}  // namespace greymet::files
