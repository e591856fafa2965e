#include <algorithm>
#include <memory>

#include <fmt/format.h>

#include "cli/print.h"
#include "files/answers_json.h"
#include "files/answers_tables.h"
#include "files/table_csv.h"
#include "line/command_line.h"
#include "model/nearest_name.h"
#include "model/resolved_plan.h"

namespace greymet::cli {
namespace {

std::string functions_text(model::Area area) {
  std::vector<int> numbers;
  for (const model::FunctionTraits& f : model::all_functions()) {
    if (f.area == area) numbers.push_back(number_of(f.code));
  }
  return fmt::format("{}", fmt::join(numbers, " "));
}

// Answers that differ in their area only: the text does not name one.
using Group = std::vector<const model::AddressAnswer*>;

std::vector<Group> grouped(const std::vector<model::AddressAnswer>& answers) {
  std::vector<Group> groups;
  for (const model::AddressAnswer& answer : answers) {
    const bool same = !groups.empty() && groups.back().front()->how == answer.how &&
                      groups.back().front()->address.offset == answer.address.offset &&
                      groups.back().front()->address.area != answer.address.area;
    if (!same) groups.emplace_back();
    groups.back().push_back(&answer);
  }
  return groups;
}

std::string group_text(const Group& group, std::size_t width) {
  constexpr std::size_t points_column = 6;
  const model::AddressAnswer& first = *group.front();
  const auto offset = first.address.offset.value;
  const bool open = group.size() > 1;
  std::string address = open ? fmt::format("{}", offset) : to_text(first.address);
  if (first.bit) address += fmt::format(".{}", *first.bit);
  std::string five = reference5(first.address).value_or("-");
  std::string six = reference6(first.address);
  if (open) {
    if (five.size() > 1) five.front() = 'x';
    six.front() = 'x';
  }
  const std::string planned = first.planned.empty()
                                  ? std::string()
                                  : fmt::format("  <- {} in the plan", shown(first.planned));
  std::string text = fmt::format("  {:<9} 0x{:04X} {:>7} {:>7} {:>8}  {}{}\n", address, offset,
                                 std::uint32_t{offset} + 1, five, six, first.how, planned);
  for (const model::AddressAnswer* answer : group) {
    if (answer->points.empty()) continue;
    const std::string points =
        fmt::format("{}{}", open ? fmt::format("{}: ", short_name(answer->address.area)) : "",
                    fmt::join(answer->points, ", "));
    text += "      " + folded(shown(points), points_column, points_column, width) + "\n";
    if (open || answer->tags.empty()) continue;
    const std::string tags = fmt::format("tag {}", fmt::join(answer->tags, ", "));
    text += "      " + folded(shown(tags), points_column, points_column, width) + "\n";
  }
  if (open && !first.tags.empty()) {
    text += fmt::format("      tag {}\n", shown(fmt::format("{}", fmt::join(first.tags, ", "))));
  }
  return text;
}

// Which functions reach what was shown; "x" where the area is open.
std::string legend(const std::vector<files::AddressQuestion>& questions) {
  std::vector<model::Area> areas;
  bool open = false;
  for (const files::AddressQuestion& q : questions) {
    for (const Group& group : grouped(q.found.answers)) {
      open = open || group.size() > 1;
      for (const auto* answer : group) {
        if (std::find(areas.begin(), areas.end(), answer->address.area) == areas.end()) {
          areas.push_back(answer->address.area);
        }
      }
    }
  }
  std::string text =
      open ? "\nx and the functions that reach it:\n" : "\nfunctions that reach it:\n";
  for (const model::Area area : areas) {
    text += fmt::format("  {} {} ({}): {}\n", reference_digit(area), long_name(area),
                        short_name(area), functions_text(area));
  }
  return text;
}

std::string question_text(const files::AddressQuestion& question, const Terminal& terminal) {
  std::string text = tinted(terminal, Tint::bold, shown(question.text)) + "\n";
  if (!question.found.doubts.empty()) {
    const std::string doubts = fmt::format("ambiguous: {}", fmt::join(question.found.doubts, "; "));
    text += "  " + folded(doubts, 2, 2, terminal.width) + "\n";
  }
  text += tinted(terminal, Tint::dim,
                 fmt::format("  {:<9} {:>6} {:>7} {:>7} {:>8}  {}", "address", "hex", "from 1",
                             "5 dig.", "6 digits", "read as")) +
          "\n";
  for (const Group& group : grouped(question.found.answers)) {
    text += group_text(group, terminal.width);
  }
  return text;
}

bool has_slave(const model::Plan& plan, const std::string& name) {
  return std::any_of(plan.slaves.begin(), plan.slaves.end(),
                     [&](const model::Slave& s) { return s.name == name; });
}

std::string nearest_slave(const model::Plan& plan, const std::string& name) {
  std::vector<std::string_view> names;
  for (const model::Slave& slave : plan.slaves) names.emplace_back(slave.name);
  return shown(model::nearest_or_example(name, names));
}

}  // namespace

int run_address(const AddressOptions& options, const Terminal& terminal) {
  std::optional<UsablePlan> usable;
  if (!options.plan.empty()) {
    usable = load_usable_plan(options.plan, terminal);
    if (usable->refused) return *usable->refused;
  }
  const model::ResolvedPlan* plan = usable ? &usable->loaded.plan : nullptr;
  if (!options.slave.empty() && (plan == nullptr || !has_slave(plan->plan, options.slave))) {
    terminal.err << (plan == nullptr
                         ? std::string("greymet: --slave needs a plan: --plan plan.toml\n")
                         : fmt::format("greymet: the plan has no slave '{}'{}\n",
                                       shown(options.slave.substr(0, 40)),
                                       nearest_slave(plan->plan, options.slave)));
    return exit_usage;
  }
  std::vector<files::AddressQuestion> questions;
  int status = exit_fine;
  for (const std::string& text : options.texts) {
    auto found = model::look_up_address(text, plan, options.slave);
    if (!found) {
      terminal.err << fmt::format("greymet: {}; {}\n", shown(found.error().message),
                                  shown(found.error().remedy));
      status = exit_usage;
      continue;  // the others can be answered
    }
    questions.push_back({text, std::move(*found)});
  }
  if (questions.empty()) return status;
  if (options.format != "text") {
    terminal.out << (options.format == "csv" ? files::table_csv(files::addresses_table(questions))
                                             : files::addresses_json(questions));
    return status;
  }
  for (std::size_t i = 0; i < questions.size(); ++i) {
    terminal.out << (i > 0 ? "\n" : "") << question_text(questions[i], terminal);
  }
  terminal.out << legend(questions);
  return status;
}

Action declare_address(CLI::App& command, const Terminal& terminal) {
  const auto options = std::make_shared<AddressOptions>();
  command
      .add_option("TEXT", options->texts, "addresses in any notation, points, controllers' memory")
      ->required();
  command.add_option("--plan", options->plan, "names the points there")->type_name("PLAN");
  command.add_option("--slave", options->slave, "look at this slave of the plan only")
      ->type_name("NAME");
  add_format(command, options->format, {csv_format});
  return [options, &terminal] { return run_address(*options, terminal); };
}

}  // namespace greymet::cli
