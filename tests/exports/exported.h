// All exports of a plan, for tests.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "checks/check.h"
#include "exports/exports.h"
#include "files/exchange_export.h"
#include "files/plan_loader.h"
#include "timing/point_ages.h"

namespace greymet::test {

// Keeps what exports refer to.
struct Exported {
  explicit Exported(files::LoadedPlan of)
      : loaded(std::move(of)),
        points(model::point_list(loaded.plan)),
        timing(timing::analyse_longest(loaded.plan)),
        ages(timing::age_bounds(loaded.plan, points, timing)),
        findings(checks::check(loaded.plan, loaded.findings)) {}

  [[nodiscard]] exports::ExportInput input() const {
    return {loaded.plan, points, ages, timing, findings, files::fingerprint_of(loaded.plan)};
  }
  // The files of one export; the test fails if it fails.
  [[nodiscard]] std::vector<exports::ExportedFile> files_of(std::string_view name) const {
    for (const exports::Export& each : exports::all_exports()) {
      if (each.name == name) return each.make(input()).value();
    }
    throw std::runtime_error("no such export");
  }
  // One of them; made once.
  [[nodiscard]] std::string file(const std::string& name, const std::string& file_name) const {
    const auto known = made_.find(name);
    const auto& files =
        known != made_.end() ? known->second : made_.emplace(name, files_of(name)).first->second;
    for (const exports::ExportedFile& each : files) {
      if (each.name == file_name) return each.content;
    }
    throw std::runtime_error("no file " + file_name);
  }

  // All that the program of a controller needs, as one text.
  [[nodiscard]] std::string program(const std::string& controller) const {
    (void)file("st", controller + ".st");
    std::string text;
    for (const exports::ExportedFile& each : made_.at("st")) {
      const bool shared = each.name == "library.st" || each.name == "maps.st";
      if (shared || each.name == controller + ".st") text += each.content + "\n";
    }
    return text;
  }

  files::LoadedPlan loaded;
  model::PointList points;
  timing::TimingReport timing;
  std::vector<std::optional<model::Duration>> ages;
  model::Findings findings;

 private:
  mutable std::map<std::string, std::vector<exports::ExportedFile>> made_;
};

[[nodiscard]] inline Exported exported_demo() {
  return Exported(files::load_plan(GREYMET_EXAMPLES "/maltings.toml", files::disk_files()));
}

}  // namespace greymet::test
