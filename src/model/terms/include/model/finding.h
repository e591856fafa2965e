// What a check has to say: plain data, printed by others.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "model/address.h"
#include "model/range.h"
#include "model/rule_code.h"
#include "model/subject.h"

namespace greymet::model {

// E: will not work or is unsafe. W: will bite. N: worth knowing.
enum class Severity : std::uint8_t { note, warning, error };

// Another spot that belongs to a finding, with what is to be seen there.
struct Related {
  Range place;
  std::string text;
};

// A key of a table and the text of its value, as it is written in TOML.
struct KeyText {
  std::string key;
  std::string text;
};

// One change of a file's text. Files of the plan are read once; what becomes of them is for
// files/cures.h, which turns every kind into plain replacements.
enum class EditKind : std::uint8_t {
  replace,   // what stands in `range`, which has an end, becomes `text`
  set_keys,  // the table or row around the begin of `range` gets `keys`, in place of its own
  copy_row,  // the row around the begin of `range` once more behind it, with `keys` in it
  drop_row   // the row or table around the begin of `range` goes
};
// What a kind uses of it stands at EditKind.
struct Edit {
  Range range;
  std::string text;
  EditKind kind = EditKind::replace;
  std::vector<KeyText> keys = {};
};

// A cure as data. `certain`: there is only one meaning; else an offer, or a question where it gives
// up what the plan demands, or moves what others may look for, and nothing in the plan shows that
// this is meant: only somebody who knows the plant can take it. The law of cures: applied, the
// finding is gone, and none of the same or a higher severity has come.
struct Fix {
  std::string title;
  std::vector<Edit> edits;
  bool certain = false;
  bool is_question = false;
};

// "write X": the cure that replaces what stands in `range`.
[[nodiscard]] Fix write_instead(Range range, std::string text, bool certain);

// Which registers or bits of a transaction: of what it reads, or of what it writes.
struct Part {
  bool is_read = true;
  Extent extent;
};
[[nodiscard]] bool overlap(const Part& a, const Part& b);

// Something that a finding speaks about: the whole of it where no part is named.
struct Concern {
  Subject subject;
  std::optional<Part> part = {};
};

// One finding. `message` holds the numbers that decide it, `remedy` one concrete cure, `fixes` the
// same as edits where it is one.
struct Finding {
  RuleCode rule = RuleCode::P01;
  Severity severity = Severity::error;
  Range place;
  Subject subject;
  std::string message;
  std::string remedy;
  std::vector<Related> related = {};
  // P02 and P06: the key that was meant, or is missing; tells a slip from its consequence. Of other
  // rules: what findings of one cause have in common, as tags that one request would serve; one of
  // those with the same text is said. Empty: it stands for itself.
  std::string about = {};
  std::vector<Fix> fixes = {};
  // Of its subject, where that is a transaction: what it speaks about; all of it if nothing.
  std::optional<Part> part = {};
  // Further things it speaks about: a finding about one of them may say the same.
  std::vector<Concern> concerns = {};
  // What was found besides and only follows from it: not said, but counted.
  std::vector<Finding> explains = {};
};
// Adds what is not among them.
void add_concern(Finding& finding, const Concern& concern);

using Findings = std::vector<Finding>;

// Adds a cure, and its title as the remedy where there is none yet: so words and edits cannot
// disagree. A replacement of a place without an end is words only.
void add_fix(Finding& finding, Fix fix);

[[nodiscard]] std::string_view to_string(Severity severity);
}  // namespace greymet::model
