#include "files/plan_keys.h"

#include <algorithm>
#include <array>
#include <map>
#include <string>
#include <utility>

#include <fmt/format.h>

#include "alike_slaves.h"
#include "files/plan_decoder.h"
#include "files/toml_reader.h"
#include "key_watch.h"
#include "keys_of_tables.h"

namespace greymet::files {

namespace {

// A plan that says nothing, each of its tables in a line of its own. Tables that the reader opens
// by their key alone need not be here.
using Line = std::pair<std::string_view, std::string_view>;  // path and text
constexpr std::array<Line, 22> silent_lines{{
    {"-", "[controller.NAME.memory]"},
    {"controller.*.memory.*", "AREA = {}"},
    {"controller.*", "[controller.NAME]"},
    {"-", "answers = ["},
    {"controller.*.answers", "{}]"},
    {"line.*", "[line.NAME]"},
    {"gateway.*", "[gateway.NAME]"},
    {"slave.*", "[slave.NAME]"},
    {"-", "offset = {}"},
    {"exchange", "[exchange]"},
    {"-", "transactions = ["},
    {"exchange.transactions", "{}]"},
    {"-", "copies = ["},
    {"exchange.copies", "{}]"},
    {"-", "wants = ["},
    {"exchange.wants", "{},"},
    {"exchange.wants", "{ from = \"a\", on = \"b\" }]"},
    {"supervision", "[supervision]"},
    {"supervision.heartbeats", "heartbeats = [{}]"},
    {"supervision.paths", "paths = [{}]"},
    {"review", "[review]"},
    {"review.accepts", "accepts = [{}]"},
}};

Value silent_plan(std::map<std::uint32_t, std::string>& names) {
  std::string text;
  std::uint32_t number = 0;
  for (const auto& [path, line] : silent_lines) {
    ++number;
    if (path != "-") names[number] = path;
    text += line;
    text += '\n';
  }
  model::Findings ignored;
  auto root = read_toml(text, 0, ignored);
  Value plan = root ? std::move(*root) : Value{};
  constexpr std::uint32_t line_of_root = 900'000;
  plan.place = {0, line_of_root, 1, 0, 0};
  names[line_of_root] = "";
  return plan;
}

std::vector<PlanTable> asked_tables() {
  std::map<std::uint32_t, std::string> names;
  Value plan = silent_plan(names);
  constexpr std::uint32_t line_of_model = 900'001;
  names[line_of_model] = "model";
  internal::KeyWatch watch(std::move(names));
  model::Findings ignored;
  model::Declared<std::string> table_file;
  static_cast<void>(decode_plan(std::move(plan), table_file, ignored));
  Value model_file;
  model_file.place = {0, line_of_model, 1, 0, 0};
  static_cast<void>(decode_model("", model_file, ignored));
  return watch.take();
}

const std::vector<PlanTable>& tables() {
  static const std::vector<PlanTable> all = asked_tables();
  return all;
}

}  // namespace

const PlanKey* PlanTable::find(std::string_view name) const {
  const auto at =
      std::find_if(keys.begin(), keys.end(), [&](const PlanKey& key) { return key.name == name; });
  return at == keys.end() ? nullptr : &*at;
}

std::span<const PlanTable> plan_tables() {
  return tables();
}

const PlanTable* plan_table(std::string_view path) {
  const auto& all = tables();
  const auto at =
      std::find_if(all.begin(), all.end(), [&](const PlanTable& t) { return t.path == path; });
  return at == all.end() ? nullptr : &*at;
}

std::string name_of_table(std::string_view path) {
  static constexpr std::array<Line, 9> names{
      {{"", "the plan"},
       {"controller.*.answers", "an entry of `answers`"},
       {"controller.*.memory.*", "an area of [controller.NAME.memory]"},
       {"exchange.transactions", "a transaction"},
       {"exchange.copies", "a copy"},
       {"exchange.wants", "a want"},
       {"supervision.heartbeats", "a heartbeat"},
       {"supervision.paths", "a path"},
       {"review.accepts", "an accept"}}};
  const auto* const at = std::find_if(names.begin(), names.end(),
                                      [&](const Line& each) { return each.first == path; });
  if (at != names.end()) return std::string(at->second);
  if (path == "model") return "a controller's model file";
  const std::size_t dot = path.rfind('.');
  if (dot == std::string_view::npos) return fmt::format("[{}]", path);
  const std::string_view last = path.substr(dot + 1);
  if (last == "*") return fmt::format("[{}.NAME]", path.substr(0, dot));
  return fmt::format("`{}` of {}", last, name_of_table(path.substr(0, dot)));
}

namespace internal {

std::string table_of_key(std::string_view key) {
  if (KeyWatch::current() != nullptr) return {};  // the table is being made
  std::string text;
  std::size_t many = 0;
  for (const PlanTable& table : plan_tables()) {
    if (table.path.empty() || table.path == "model" || table.find(key) == nullptr) continue;
    // `count` of `read` of a transaction is that of the transaction
    const std::size_t dot = table.path.rfind('.');
    const PlanTable* const around =
        dot == std::string::npos ? nullptr : plan_table(table.path.substr(0, dot));
    if (around != nullptr && around->find(key) != nullptr) continue;
    constexpr std::size_t most = 4;
    if (++many > most) return {};
    text += fmt::format("{}{}", text.empty() ? "" : " or ", name_of_table(table.path));
  }
  return text.empty() ? text : fmt::format("`{}` belongs to {}", key, text);
}

}  // namespace internal

}  // namespace greymet::files
