// Cures as edits, for rules. Not for use outside this folder.
#pragma once

#include <string>
#include <unordered_set>
#include <utility>
#include <vector>

#include "model/finding.h"
#include "model/resolved_plan.h"

namespace greymet::checks::internal {

// "\"200ms\"": a text or duration as a TOML value.
[[nodiscard]] std::string toml_text(std::string_view text);
[[nodiscard]] std::string toml_text(model::Duration duration);

// Gives the last finding the cure that sets these keys of the table or row around `place`. Its
// title is the remedy where there is none.
void cure_by_keys(model::Findings& out, std::string title, model::Range place,
                  std::vector<model::KeyText> keys, bool certain);

// Makes a question of the last cure of the last finding, if it has one.
void make_question(model::Findings& out);

// Names for the parts of split transactions; knows those of the plan once one is asked for. Keeps a
// reference to the plan.
class FreshNames {
 public:
  explicit FreshNames(const model::ResolvedPlan& plan) : plan_(plan) {}
  // `name` with the first number that nobody has.
  [[nodiscard]] std::string next(const std::string& name);

 private:
  const model::ResolvedPlan& plan_;
  std::unordered_set<std::string> taken_;
};

// Gives the last finding the cure that makes one request of each part of a block, every register
// staying where it is in the controller's memory. Nothing where that cannot be written: points
// instead of addresses, bits packed into words, both parts of function 23.
void cure_by_split(model::Findings& out, std::string title, const model::ResolvedPlan& plan,
                   FreshNames& names, std::size_t transaction, bool is_read,
                   const std::vector<model::Extent>& parts, bool certain);

}  // namespace greymet::checks::internal
