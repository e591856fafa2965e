#include <filesystem>

#include <fmt/format.h>

#include "cli/print.h"
#include "files/file_source.h"
#include "files/measured_reader.h"
#include "line/command_line.h"
#include "model/resolved_plan.h"

namespace greymet::cli {

namespace {
constexpr std::size_t largest_result = std::size_t{64} << 20;
}  // namespace

std::optional<MeasuredFile> measured_file(const std::string& path) {
  const files::FileSource source = files::disk_files();
  std::error_code error;
  if (!std::filesystem::is_directory(path, error)) {
    auto text = source(path, largest_result);
    return text ? std::optional(MeasuredFile{path, std::move(*text)}) : std::nullopt;
  }
  for (const char* name : {"rehearse.json", "run.json"}) {
    const std::string file = path + "/" + name;
    if (auto text = source(file, largest_result)) return MeasuredFile{file, std::move(*text)};
  }
  return std::nullopt;
}

std::optional<int> take_measured(const std::string& path, files::LoadedPlan& loaded,
                                 const Terminal& terminal) {
  // what cannot be read is said of the plan first
  if (path.empty() || loaded.unreadable) return std::nullopt;
  auto file = measured_file(path);
  if (!file) {
    terminal.err << fmt::format(
        "greymet: {}: holds no rehearse.json or run.json that can be read\n", shown(path));
    return exit_unreachable;
  }
  const auto measured = files::measure(loaded, file->name, file->text);
  if (!measured) {
    terminal.err << fmt::format("greymet: {}: {}\n", shown(file->name), measured.error());
    return exit_usage;
  }
  return std::nullopt;
}

std::string measured_text(const model::ResolvedPlan& plan, const Terminal& terminal) {
  const model::Measurement& measured = plan.plan.measured;
  if (measured.facts.empty()) return {};
  std::uint64_t fewest = std::numeric_limits<std::uint64_t>::max();
  std::uint64_t most = 0;
  std::string longer;
  for (const auto& [id, fact] : measured.facts) {
    fewest = std::min(fewest, fact.answers);
    most = std::max(most, fact.answers);
    const auto& now = std::get<model::Delay>(fact.value);
    const auto& before = std::get<model::Delay>(fact.before);
    if (!fact.stated || now.max <= before.max) continue;
    longer += fmt::format("; {} took {}, and {} is stated", to_text(owner_subject(plan.plan, id)),
                          model::in_ms(now.max), model::to_text(before.max));
  }
  return "measured: " +
         folded(shown(fmt::format("reply times of {} by {}, the longest of {} each{}",
                                  model::counted(measured.facts.size(), "slave"), measured.source,
                                  fewest == most ? model::counted(most, "answer")
                                                 : fmt::format("{} to {} answers", fewest, most),
                                  longer)),
                10, 10, terminal.width) +
         '\n';
}

}  // namespace greymet::cli
