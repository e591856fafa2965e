#include "new_map.h"

#include <algorithm>
#include <iostream>

#include <fmt/format.h>

#include "cli/print.h"
#include "files/file_source.h"
#include "line/command_line.h"
#include "model/utf8_text.h"

namespace greymet::cli {
namespace {

std::string piped() {
  std::string text(files::largest_map + 1, '\0');
  std::cin.read(text.data(), static_cast<std::streamsize>(text.size()));
  text.resize(static_cast<std::size_t>(std::cin.gcount()));
  return text;
}

tl::expected<std::string, std::string> content_of(const std::string& file) {
  if (file == "-") return piped();
  auto content = files::disk_files()(file, files::largest_map);
  if (!content) return tl::unexpected(fmt::format("{}: {}", file, content.error().message));
  return std::move(*content);
}

// Answers for one slave: those for all, and its own.
files::Readings readings_for(const NewOptions& options, const std::string& slave) {
  files::Readings out;
  for (const bool own : {false, true}) {
    for (const std::string& text : options.readings) {
      const std::size_t equals = text.find('=');
      const std::size_t colon = text.substr(0, equals).rfind(':');
      if ((colon != std::string::npos) != own) continue;
      if (own && text.substr(0, colon) != slave) continue;
      const std::size_t from = own ? colon + 1 : 0;
      out[text.substr(from, equals - from)] = text.substr(equals + 1);
    }
  }
  return out;
}

void print_question(const files::ImportQuestion& question, const std::string& slave,
                    const Terminal& terminal) {
  terminal.out << fmt::format("  ? {}\n", shown(question.text));
  for (const std::string& sample : question.samples) {
    terminal.out << fmt::format("      {}\n", shown(sample));
  }
  std::vector<std::string> ways;
  for (const std::string_view answer : files::answers_to(question.about)) {
    ways.push_back(fmt::format("--reading {}:{}={}", shown(slave), question.about, answer));
  }
  terminal.out << fmt::format("    answer with {}\n", fmt::join(ways, ", or "));
}

}  // namespace

// What is wrong with an answer; empty if nothing is.
std::string wrong_reading(const std::string& text) {
  const std::size_t equals = text.find('=');
  const std::size_t colon =
      equals == std::string::npos ? std::string::npos : text.substr(0, equals).rfind(':');
  const std::size_t from = colon == std::string::npos ? 0 : colon + 1;
  const std::string about = text.substr(from, equals == std::string::npos ? 0 : equals - from);
  const std::string answer = equals == std::string::npos ? std::string() : text.substr(equals + 1);
  const auto answers = files::answers_to(about);
  if (answers.empty()) {
    return fmt::format(
        "--reading takes KEY=ANSWER or SLAVE:KEY=ANSWER, where KEY is one of {}; "
        "found '{}'",
        fmt::join(files::all_questions(), ", "), shown(text.substr(0, 60)));
  }
  const bool known = std::find(answers.begin(), answers.end(), answer) != answers.end() ||
                     (about == "type" && model::data_type_from(answer));
  if (known) return {};
  return fmt::format("--reading {}= takes {}{}; found '{}'", about, fmt::join(answers, ", "),
                     about == "type" ? " or another type of maps" : "",
                     shown(answer.substr(0, 40)));
}

tl::expected<files::ImportedMap, std::string> imported(const std::string& file,
                                                       const std::string& slave,
                                                       const NewOptions& options,
                                                       const Terminal& terminal) {
  files::ImportOptions how{options.sheet, readings_for(options, slave), {}};
  if (!options.headings.empty()) {
    auto headings = content_of(options.headings);
    if (!headings) return tl::unexpected(headings.error());
    how.headings = std::move(*headings);
  }
  const auto content = content_of(file);
  if (!content) return tl::unexpected(content.error());
  auto map = files::import_map(file, *content, how);
  if (!map) return tl::unexpected(fmt::format("{}: {}", file, map.error().message));
  const bool asks = !map->questions.empty();
  terminal.out << (asks ? fmt::format("{}: nothing is written before this is answered\n",
                                      shown(file))
                        : fmt::format("{}: {} points\n", shown(file), map->points));
  for (const std::string& note : map->notes) terminal.out << fmt::format("  {}\n", shown(note));
  if (!map->left_out.empty()) {
    terminal.out << fmt::format("  left out, {}:\n", model::counted(map->left_out.size(), "row"));
    constexpr std::size_t most_told = 30;
    for (std::size_t i = 0; i < std::min(most_told, map->left_out.size()); ++i) {
      terminal.out << fmt::format("    {}\n", shown(map->left_out[i]));
    }
    if (map->left_out.size() > most_told) {
      terminal.out << fmt::format("    and {} more\n", map->left_out.size() - most_told);
    }
  }
  for (const files::ImportQuestion& question : map->questions) {
    print_question(question, slave, terminal);
  }
  if (asks) {
    return tl::unexpected(fmt::format("{}: {} to be answered", file,
                                      model::counted(map->questions.size(), "question")));
  }
  return std::move(*map);
}

bool say_check(const std::string& plan, const Terminal& terminal) {
  const files::LoadedPlan loaded = files::load_plan(plan, files::disk_files());
  const auto findings = checks::check(loaded.plan, loaded.findings);
  const auto tally = checks::tally_of(findings);
  terminal.out << fmt::format("check: {}\n", tally_text(tally));
  if (tally.errors + tally.warnings > 0) {
    print_findings(loaded, findings, plain_terminal(terminal.out, terminal.err, terminal.width));
  }
  return tally.errors == 0;
}

}  // namespace greymet::cli
