// What a value of a plan names: the one table for definitions, references, renaming, hover and
// completion.
#pragma once

#include <cstdint>
#include <string_view>

namespace greymet::editor {

// `asked`: a slave, or a controller that answers. `point`: of the slave of the same row, perhaps a
// pattern. `place`: "slave.point" or "controller.%MW3". `memory`: of the controller that
// memory_owner() says. `subject`: "transaction sweep". `own_name`: what the thing itself is called.
enum class Role : std::uint8_t {
  none,
  controller,
  line,
  gateway,
  slave,
  asked,
  point,
  place,
  memory,
  file,
  subject,
  rule,
  own_name
};

// Of a value at that key of a table (files/plan_keys.h); in a CSV table of transactions the same.
[[nodiscard]] Role role_of(std::string_view path, std::string_view key);

}  // namespace greymet::editor
