// Plans with slips of syntax, for tests of what is said of them. Not for use outside this folder.
#pragma once

#include <fstream>
#include <sstream>
#include <string>

#include "files/plan_loader.h"

namespace greymet::test {

// The demo's plan.
inline std::string demo_text() {
  std::ostringstream text;
  text << std::ifstream(GREYMET_EXAMPLES "/maltings.toml").rdbuf();
  return text.str();
}

inline files::LoadedPlan loaded_of(const std::string& text) {
  return files::load_plan("plan.toml", files::memory_files({{"plan.toml", text}}));
}

// The first error of syntax, or null.
inline const model::Finding* syntax_finding_of(const files::LoadedPlan& loaded) {
  for (const model::Finding& f : loaded.findings) {
    if (f.rule == model::RuleCode::P01) return &f;
  }
  return nullptr;
}

}  // namespace greymet::test
