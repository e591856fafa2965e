#include "tag_files.h"

#include <string_view>
#include <unordered_map>

#include <fmt/format.h>

namespace greymet::files::internal {

void add_tags(model::TagTable& table, model::TagTable further, const model::Subject& subject,
              model::Findings& findings) {
  std::unordered_map<std::string, std::size_t> there;
  for (std::size_t i = 0; i < table.tags.size(); ++i) there.emplace(table.tags[i].name, i);
  for (model::Tag& tag : further.tags) {
    const auto [at, is_new] = there.try_emplace(tag.name, table.tags.size());
    if (is_new) {
      table.tags.push_back(std::move(tag));
      continue;
    }
    const model::Tag& first = table.tags[at->second];
    if (first.address.value == tag.address.value && to_text(first.type) == to_text(tag.type)) {
      continue;
    }
    findings.push_back(
        {.rule = model::RuleCode::P04,
         .severity = model::Severity::error,
         .place = tag.place,
         .subject = subject,
         .message = fmt::format("tag '{}' ({}) is another one in {} ({})", tag.name,
                                tag.address.value, table.file, first.address.value),
         .remedy = "give one of them another name, or take it out of one of the files",
         .related = {{first.place, fmt::format("'{}' is declared here", first.name)}}});
    table.incomplete = true;
    table.left_out.push_back(tag.name);
  }
  table.incomplete = table.incomplete || further.incomplete;
  table.left_out.insert(table.left_out.end(), further.left_out.begin(), further.left_out.end());
}

}  // namespace greymet::files::internal
