#include <algorithm>
#include <map>
#include <set>
#include <tuple>

#include <fmt/format.h>

#include "checks/check.h"
#include "editor/features.h"
#include "files/cures.h"

namespace greymet::editor {

using model::SubjectKind;

namespace {

bool is_bare_key(std::string_view name) {
  return !name.empty() && std::all_of(name.begin(), name.end(), [](char c) {
    return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == '_' ||
           c == '-';
  });
}

// What a plan says, but for names: how many of everything, and how many findings of each rule.
struct Said {
  std::map<std::pair<model::RuleCode, model::Severity>, std::size_t> findings;
  std::size_t transactions = 0;
  std::size_t moves = 0;  // ends of tags and of paths that were found
  std::size_t points = 0;
  friend bool operator==(const Said&, const Said&) = default;
};

Said said_by(const files::LoadedPlan& loaded) {
  Said said;
  for (const model::Finding& f : checks::check(loaded.plan, loaded.findings)) {
    ++said.findings[{f.rule, f.severity}];
  }
  said.transactions = loaded.plan.exchange.transactions.size();
  for (const model::ResolvedTag& tag : loaded.plan.tags) {
    said.moves += (tag.from ? 1U : 0U) + (tag.to ? 1U : 0U);
  }
  for (const model::ResolvedPath& path : loaded.plan.paths) {
    said.moves += (path.from ? 1U : 0U) + (path.to ? 1U : 0U);
  }
  for (const model::ExchangeTransaction& t : loaded.plan.exchange.transactions) {
    said.points += t.quantity_read().value + t.quantity_written().value;
  }
  for (const model::ResolvedWant& want : loaded.plan.wants) said.points += want.points.size();
  return said;
}

// Texts of the files with the changes in them.
std::map<std::string, std::string> texts_with(const PlanView& view,
                                              const std::vector<NewText>& changes) {
  std::map<std::uint32_t, std::vector<files::TextEdit>> edits;
  for (const NewText& change : changes) {
    edits[change.where.file].push_back(
        {change.where.file, change.where.span.begin, change.where.span.end, change.text});
  }
  std::map<std::string, std::string> texts;
  for (auto& [file, list] : edits) {
    texts[view.path_of(file)] = files::edited(view.reading().loaded().sources[file].text, list);
  }
  return texts;
}

bool is_taken(const std::vector<Occurrence>& all, const Thing& thing) {
  // slaves and controllers are both asked by their name
  const auto like = [](SubjectKind kind) {
    return kind == SubjectKind::controller ? SubjectKind::slave : kind;
  };
  return std::any_of(all.begin(), all.end(), [&](const Occurrence& each) {
    return each.is_definition && like(each.thing.kind) == like(thing.kind) &&
           each.thing.name == thing.name && each.thing.map == thing.map;
  });
}

}  // namespace

tl::expected<Occurrence, std::string> renameable_at(const PlanView& view, std::uint32_t file,
                                                    std::size_t byte) {
  const auto all = occurrences_in(view);
  const Occurrence* const own = occurrence_at(all, file, byte);
  if (own == nullptr) {
    return tl::unexpected(
        std::string("nothing with a name stands here: a controller, line, "
                    "gateway, slave, point, transaction, heartbeat or path"));
  }
  const bool defined = std::any_of(all.begin(), all.end(), [&](const Occurrence& each) {
    return each.is_definition && each.thing == own->thing;
  });
  if (!defined) {
    return tl::unexpected(fmt::format("{} '{}' is made nowhere in these files",
                                      to_string(own->thing.kind), own->thing.name));
  }
  for (const model::AlikeSlaves& group : view.plan().plan.alike) {
    if (own->thing.kind == SubjectKind::slave && group.name == own->thing.name) {
      return tl::unexpected(fmt::format(
          "'{}' stands for several slaves, whose names are made of it", own->thing.name));
    }
  }
  return *own;
}

tl::expected<std::vector<NewText>, std::string> renamed_at(const PlanView& view, std::uint32_t file,
                                                           std::size_t byte,
                                                           const std::string& name) {
  const auto own = renameable_at(view, file, byte);
  if (!own) return tl::unexpected(own.error());
  if (!is_bare_key(name)) {
    return tl::unexpected(
        fmt::format("'{}' is no name: letters, digits, '-' and '_' are", name.substr(0, 60)));
  }
  std::vector<NewText> changes;
  if (name == own->thing.name) return changes;
  const auto all = occurrences_in(view);
  Thing wanted = own->thing;
  wanted.name = name;
  if (is_taken(all, wanted)) {
    return tl::unexpected(fmt::format("'{}' is the name of something else", name));
  }
  for (const Occurrence& each : all) {
    if (each.thing != own->thing) continue;
    const files::SourceFile& source = view.reading().loaded().sources[each.where.file];
    if (!source.may_be_quoted || source.is_project || source.is_workbook) {
      return tl::unexpected(fmt::format("'{}' is used in {}, which is not changed from here",
                                        own->thing.name, source.name));
    }
    changes.push_back({each.where, name});
  }
  const auto texts = std::make_shared<const Texts>(texts_with(view, changes));
  const files::LoadedPlan after =
      files::load_plan(view.path_of(0), files_over(view.reading().task.files, texts));
  // measured facts go by names; they count in neither
  const files::LoadedPlan before = files::load_plan(view.path_of(0), view.reading().task.files);
  if (said_by(before) != said_by(after)) {
    return tl::unexpected(fmt::format(
        "with '{}' the plan would say something else: something goes by the old name, such as a "
        "pattern, a tag or a slave that is like another",
        name));
  }
  return changes;
}

}  // namespace greymet::editor
