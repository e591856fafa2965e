// One slip judged: what it does to the site, what `check` says of it, and what cures make of it.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "files/plan_loader.h"
#include "site.h"
#include "slips.h"

namespace greymet::mutants {

// What came of cures.
enum class Cured {
  untouched,  // none was carried out
  restored,   // the site is served as before
  loud,       // something is still wrong, and said
  quiet       // something is wrong, and nothing is said any more
};

struct Verdict {
  std::vector<Harm> harms;      // empty: harmless
  std::string unknowable;       // why nobody could know it from the plan
  bool is_description = false;  // nothing moves otherwise, but what the plan tells is not so
  bool alarmed = false;         // an error or warning that the right plan has not
  bool at_the_slip = false;     // and it stands at the row or line that was changed, or names it
  std::size_t findings = 0;     // how many errors and warnings there are
  std::string said;             // the first of them
  std::string rules;            // which there are, as "V01 x14, F09"
  Cured certain = Cured::untouched;
  Cured offers = Cured::untouched;
};

// A right plan and its site.
class Judge {
 public:
  // `files`: the plan and all it names; clean but for notes.
  Judge(Files files, std::string plan_path);

  [[nodiscard]] const files::LoadedPlan& right() const { return right_; }
  [[nodiscard]] const Files& files() const { return files_; }
  [[nodiscard]] std::vector<Slip> slips() const;
  [[nodiscard]] Verdict judge(const Slip& slip, bool with_cures) const;

 private:
  [[nodiscard]] std::string why_unknowable(const Slip& slip, const files::LoadedPlan& other,
                                           const std::vector<Harm>& harms) const;
  [[nodiscard]] Cured after_cures(const Files& changed, bool offers) const;

  Files files_;
  std::string plan_path_;
  files::LoadedPlan right_;
  Site site_;
};

}  // namespace greymet::mutants
