// Cures as edits of the plan's files: what a fix comes to in plain replacements, and carrying cures
// out without breaking their law.
//
// The law: with a cure applied its finding is gone, and no finding of the same or a higher severity
// has come. It is not believed but tried: each cure that is offered as data, and each that is
// carried out, has been checked against the changed files. One that cannot keep it is words only.
#pragma once

#include <cstdint>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "checks/check.h"
#include "files/plan_loader.h"
#include "files/rewrite_files.h"
#include "model/finding.h"

namespace greymet::files {

// Bytes [begin, end) of one of the plan's files become `text`.
struct TextEdit {
  std::uint32_t file = 0;
  std::size_t begin = 0;
  std::size_t end = 0;
  std::string text;
  friend bool operator==(const TextEdit&, const TextEdit&) = default;
};

// Turns fixes into replacements. Looks through each file once, when a fix first needs it; holds a
// reference to the plan.
class FixWriter {
 public:
  explicit FixWriter(const LoadedPlan& loaded);
  ~FixWriter();
  FixWriter(const FixWriter&) = delete;
  FixWriter& operator=(const FixWriter&) = delete;

  // The replacements of a fix, by place; nothing where it cannot be written: a table without that
  // column, a file from outside the plan's folder, a spelling that is not followed.
  [[nodiscard]] std::optional<std::vector<TextEdit>> edits_of(const model::Fix& fix);

 private:
  struct Structure;
  [[nodiscard]] const Structure& structure_of(std::uint32_t file);

  const LoadedPlan& loaded_;
  std::map<std::uint32_t, std::unique_ptr<const Structure>> structures_;
};

// The same for a single fix.
[[nodiscard]] std::optional<std::vector<TextEdit>> text_edits(const LoadedPlan& loaded,
                                                              const model::Fix& fix);

// The text with replacements of one file carried out. They must be sorted and apart.
[[nodiscard]] std::string edited(const std::string& text, const std::vector<TextEdit>& edits);

// Tries the cures of `findings`. Those that keep the law stay, their edits made plain; words that
// named one which does not become the rule's general remedy; what a finding explains and its first
// cure leaves is told (Finding::explains). `found` are all findings of the plan. Each try reads and
// checks the plan once more: as many are tried as come to `most_work` transactions in all (rows of
// maps and tags count a tenth); further ones go, their words stay.
inline constexpr std::size_t work_for_data = 40'000;
inline constexpr std::size_t work_for_words = 10'000;  // somebody waits for them at a terminal
void try_cures(const LoadedPlan& loaded, const model::Findings& found, const FileSource& files,
               model::Findings& findings, std::size_t most_work = work_for_data);

// A finding that was cured, or whose cure would break the law.
struct CuredFinding {
  model::Finding finding;
  std::string title;
  std::optional<model::Finding> because = {};  // what the cure would have brought
};

// What came of carrying out cures.
struct Cures {
  std::vector<ChangedFile> files;  // those that changed, by name
  LoadedPlan loaded;               // the plan after them
  model::Findings findings;        // that are left
  std::vector<CuredFinding> done;
  std::vector<CuredFinding> left;
  int passes = 0;
};

// Applies the certain fixes of the selected rules: those that do not touch each other at a time,
// until nothing changes, at most 10 times. With `offers` also offers, one at a time, the gravest
// and nearest to the source first, at most 100; questions never, but those of notes whose rule is
// named. Nothing is written.
[[nodiscard]] Cures carry_out_cures(const std::string& plan, const FileSource& files,
                                    const checks::RuleSelection& selection, bool offers);

// One fix carried out, by itself, where it brings nothing of `most` or graver.
struct Rewriting {
  std::vector<ChangedFile> files;
  std::optional<model::Finding> because;  // what it would bring
  bool can_be_written = true;             // false: a spelling that is not followed
};
[[nodiscard]] Rewriting carry_out(const LoadedPlan& loaded, const FileSource& files,
                                  const model::Fix& fix, model::Severity most);

// The change of a file as a unified diff; empty where there is none.
[[nodiscard]] std::string unified_diff(const std::string& name, const std::string& before,
                                       const std::string& after);

}  // namespace greymet::files
