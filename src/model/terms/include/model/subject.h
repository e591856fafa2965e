// What a finding is about.
#pragma once

#include <compare>
#include <cstdint>
#include <string>
#include <string_view>

#include <fmt/format.h>

namespace greymet::model {

// Kinds of things in a plan that findings speak about.
enum class SubjectKind : std::uint8_t {
  plan,
  exchange,     // the section
  supervision,  // the section
  review,       // the section
  controller,
  controller_model,
  line,
  gateway,
  slave,
  point,
  tag,  // "controller.tag"
  transaction,
  copy,
  want,
  heartbeat,
  path,
  accept
};

// One thing of the plan. `name` is unique within its kind (P04 sees to it); what has no name goes
// by its number, counted from 1.
struct Subject {
  SubjectKind kind = SubjectKind::plan;
  std::string name = {};
  friend auto operator<=>(const Subject&, const Subject&) = default;
  friend bool operator==(const Subject&, const Subject&) = default;
};

// "plan", "slave", "transaction"
[[nodiscard]] std::string_view to_string(SubjectKind kind);
// "transaction moisture-in", "copy 2", "plan": what `at` of an accept names.
[[nodiscard]] std::string to_text(const Subject& subject);

}  // namespace greymet::model

// A subject in a message is shown as its text.
template <>
struct fmt::formatter<greymet::model::Subject> : fmt::formatter<std::string_view> {
  template <class Context>
  auto format(const greymet::model::Subject& subject, Context& context) const {
    return fmt::formatter<std::string_view>::format(to_text(subject), context);
  }
};
