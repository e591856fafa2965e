#include "editor/reading.h"

#include <algorithm>
#include <chrono>
#include <filesystem>
#include <iterator>

#include <fmt/chrono.h>
#include <fmt/format.h>

#include "checks/catalogue.h"
#include "checks/check.h"
#include "files/cures.h"
#include "files/map_reader.h"
#include "files/measured_reader.h"

namespace greymet::editor {

namespace {

namespace fs = std::filesystem;

std::string plain_path(const std::string& path) {
  return fs::path(path).lexically_normal().string();
}

std::string folder_of(const std::string& path) {
  const std::size_t slash = path.rfind('/');
  return slash == std::string::npos ? std::string() : path.substr(0, slash + 1);
}

bool is_toml(std::string_view path) {
  return path.ends_with(".toml");
}

// The day on which a file was written; empty where nobody knows.
std::string day_of(const std::string& path) {
  std::error_code failed;
  const auto written = fs::last_write_time(path, failed);
  if (failed) return {};
  const auto seconds =
      std::chrono::time_point_cast<std::chrono::seconds>(std::chrono::file_clock::to_sys(written));
  return fmt::format("{:%Y-%m-%d}", fmt::gmtime(seconds));
}

// The day of the measurement that counts; empty where there is none.
std::string take_measured(const ReadingTask& task, files::LoadedPlan& loaded) {
  if (task.measured.empty() || loaded.unreadable) return {};
  const std::string base =
      task.measured.starts_with('/') ? task.measured : folder_of(task.path) + task.measured;
  for (const std::string& path : {base, base + "/run.json", base + "/rehearse.json"}) {
    const auto text = task.files(path, files::largest_plan);
    if (!text) continue;
    if (!files::measure(loaded, path, *text)) return {};
    const std::string day = day_of(path);
    return day.empty() ? "some day" : day;
  }
  return {};
}

// A register map that no plan names, as one that counts from 0.
files::LoadedPlan map_alone(const ReadingTask& task) {
  files::LoadedPlan out;
  auto text = task.files(task.path, files::largest_map);
  out.unreadable = !text;
  out.sources.push_back({task.path, text ? std::move(*text) : std::string(), true, true});
  out.plan.plan.files.push_back(task.path);
  const std::string& content = out.sources.front().text;
  const auto line = std::string_view(content).substr(0, content.find('\n'));
  // other tables are nobody's business
  const bool is_map = line.find("point") != std::string_view::npos &&
                      line.find("address") != std::string_view::npos;
  if (!is_map) return out;
  out.plan.plan.maps.push_back(
      files::read_map(content, task.path, 0, model::Numbering::from_0, {}, out.findings));
  return out;
}

}  // namespace

files::FileSource files_over(const files::FileSource& disk, std::shared_ptr<const Texts> texts) {
  files::FileSource over = disk;
  over.read = [disk, texts = std::move(texts)](const std::string& path, std::size_t limit) {
    const auto found = texts->find(plain_path(path));
    if (found == texts->end()) return disk(path, limit);
    if (found->second.size() <= limit) return files::FileContent(found->second);
    return files::FileContent(
        tl::unexpected(files::FileError{fmt::format("it has more than {} bytes", limit)}));
  };
  return over;
}

bool is_large(const Reading& reading) {
  constexpr std::size_t most = 500;
  return reading.loaded().plan.transactions.size() > most;
}

Reading read_for_editor(const ReadingTask& task, files::TomlMemory* memory) {
  Reading out;
  out.task = task;
  out.is_plan = is_toml(task.path);
  auto loaded = std::make_shared<files::LoadedPlan>(
      out.is_plan ? files::load_plan(task.path, task.files, memory) : map_alone(task));
  if (out.is_plan) out.measured_on = take_measured(task, *loaded);
  out.read = std::move(loaded);
  return out;
}

void check_first_half(Reading& reading, const std::stop_token& stop) {
  checks::RuleSelection selection;
  for (const checks::RuleEntry& rule : checks::catalogue()) {
    if (rule.needs == checks::Needs::plan) selection.picked.emplace_back(to_string(rule.code));
  }
  reading.findings =
      checks::check(reading.loaded().plan, reading.loaded().findings, selection, stop);
  reading.is_half_checked = !stop.stop_requested();
}

void check_reading(Reading& reading, const std::stop_token& stop) {
  if (reading.is_plan) {
    checks::RuleSelection selection;
    selection.assumptions = true;
    reading.findings = checks::check(reading.loaded().plan, reading.loaded().findings, selection,
                                     stop, &reading.timing);
  } else {
    reading.findings = reading.loaded().findings;
  }
  reading.is_checked = !stop.stop_requested();
  reading.is_half_checked = false;
}

bool try_fixes(Reading& reading, const std::stop_token& stop) {
  if (!reading.is_plan) return false;
  constexpr auto longest = std::chrono::seconds(3);
  const auto begin = std::chrono::steady_clock::now();
  const model::Findings found = reading.findings;
  reading.is_tried.assign(found.size(), false);
  bool any = false;
  for (std::size_t i = 0; i < found.size(); ++i) {
    if (found[i].fixes.empty()) continue;
    if (stop.stop_requested() || std::chrono::steady_clock::now() - begin > longest) break;
    model::Findings one{found[i]};
    files::try_cures(reading.loaded(), found, reading.task.files, one);
    if (one.empty()) continue;
    reading.findings[i] = std::move(one.front());
    reading.is_tried[i] = true;
    any = true;
    // what a finding explained and its fix leaves is told besides
    std::move(one.begin() + 1, one.end(), std::back_inserter(reading.findings));
  }
  return any;
}

std::string plan_of(const std::string& path, const std::vector<std::string>& open,
                    const files::FileSource& files) {
  constexpr std::size_t most_looked_at = 50;
  constexpr std::size_t most_bytes = std::size_t{4} << 20;
  constexpr int most_folders = 3;
  std::string own = plain_path(path);
  const auto names_it = [&](const std::string& plan) {
    const std::string folder = folder_of(plan);
    if (!own.starts_with(folder)) return false;
    const auto text = files(plan, most_bytes);
    return text && text->find(own.substr(folder.size())) != std::string::npos;
  };
  for (const std::string& plan : open) {
    if (plan != own && is_toml(plan) && names_it(plan)) return plan;
  }
  if (is_toml(own) && std::find(open.begin(), open.end(), own) != open.end()) return own;
  std::string folder = folder_of(own);
  std::size_t looked_at = 0;
  for (int up = 0; up < most_folders && !folder.empty(); ++up) {
    std::vector<std::string> names = files.names(folder.substr(0, folder.size() - 1));
    std::sort(names.begin(), names.end());
    for (const std::string& name : names) {
      if (!is_toml(name) || folder + name == own) continue;
      if (++looked_at > most_looked_at) return {};
      if (names_it(folder + name)) return folder + name;
    }
    folder = folder_of(folder.substr(0, folder.size() - 1));
  }
  return {};
}

}  // namespace greymet::editor
