#include "judge.h"

#include <algorithm>
#include <map>
#include <set>

#include "checks/check.h"
#include "files/cures.h"

namespace greymet::mutants {

using model::Severity;

namespace {

files::FileSource source_of(Files files) {
  return files::with_texts(files::disk_files(), std::move(files));
}

// An accept that is not needed any more is housekeeping.
bool is_grave(const model::Finding& f) {
  return f.severity != Severity::note && f.rule != model::RuleCode::P09;
}

// Keys that tell what is there, and move nothing.
bool describes(const Slip& slip, const std::string& plan_path) {
  if (slip.file != plan_path) return true;
  static const std::set<std::string> keys{"reply",
                                          "typical",
                                          "max",
                                          "min",
                                          "rtt",
                                          "delay",
                                          "functions",
                                          "settings",
                                          "map_covers",
                                          "holes",
                                          "word_order",
                                          "unit_load",
                                          "pause",
                                          "scans",
                                          "model",
                                          "tags",
                                          "latency",
                                          "character_gap",
                                          "watchdog",
                                          "watchdog_by",
                                          "in_flight",
                                          "connections",
                                          "address",
                                          "baud",
                                          "mode",
                                          "format",
                                          "medium",
                                          "numbering",
                                          "max_read",
                                          "max_write",
                                          "max_read_bits",
                                          "max_write_bits",
                                          "allows",
                                          "first",
                                          "serves",
                                          "kind",
                                          "inside",
                                          "width",
                                          "jitter",
                                          "on_silence",
                                          "scan",
                                          "map",
                                          "port",
                                          "unit",
                                          "answers",
                                          "relays",
                                          "connect_timeout",
                                          "idle",
                                          "packing"};
  return keys.contains(slip.key);
}

const model::ExchangeTransaction* transaction_of(const model::ResolvedPlan& plan,
                                                 const std::string& name) {
  for (const auto& t : plan.exchange.transactions) {
    if (t.name == name) return &t;
  }
  return nullptr;
}

// The block lies on points of the map from edge to edge.
bool fits(const model::ResolvedPlan& plan, const model::ExchangeTransaction& t) {
  const model::RegisterMap* map = plan.map_of(t.target);
  if (map == nullptr) return true;
  for (const auto* block : {&t.read, &t.write}) {
    if (!*block) continue;
    const model::Extent e = (*block)->extent();
    if (e.end > model::addresses_per_area || !map->point_starts_at((*block)->area, e.first) ||
        !map->point_ends_at((*block)->area, e.end)) {
      return false;
    }
  }
  return true;
}

bool overlap(const model::MemoryRange& a, const model::MemoryRange& b) {
  return a.bits.store == b.bits.store && a.bits.first < b.bits.end && b.bits.first < a.bits.end;
}

// Its memory meets that of another transaction, one of them filling it.
bool collides(const model::ResolvedPlan& plan, const model::ExchangeTransaction& t) {
  return std::any_of(plan.exchange.transactions.begin(), plan.exchange.transactions.end(),
                     [&](const model::ExchangeTransaction& other) {
                       if (other.transaction == t.transaction || other.controller != t.controller)
                         return false;
                       return (t.into && other.into && overlap(*t.into, *other.into)) ||
                              (t.into && other.from && overlap(*t.into, *other.from)) ||
                              (t.from && other.into && overlap(*t.from, *other.into));
                     });
}

}  // namespace

Judge::Judge(Files files, std::string plan_path)
    : files_(std::move(files)),
      plan_path_(std::move(plan_path)),
      right_(files::load_plan(plan_path_, source_of(files_))),
      site_(right_.plan) {}

std::vector<Slip> Judge::slips() const {
  return slips_of(files_, plan_path_, right_.plan);
}

// From the plan alone, not from what the rules find: what stands in it once can be anything.
std::string Judge::why_unknowable(const Slip& slip, const files::LoadedPlan& other,
                                  const std::vector<Harm>& harms) const {
  const auto any = [&](HarmKind kind) {
    return std::any_of(harms.begin(), harms.end(), [&](const Harm& h) { return h.kind == kind; });
  };
  const auto only = [&](std::initializer_list<HarmKind> kinds) {
    return std::all_of(harms.begin(), harms.end(), [&](const Harm& h) {
      return std::find(kinds.begin(), kinds.end(), h.kind) != kinds.end();
    });
  };
  const bool unreadable =
      std::any_of(other.findings.begin(), other.findings.end(),
                  [](const model::Finding& f) { return f.severity == Severity::error; });
  if (unreadable || any(HarmKind::too_slow)) return {};
  const auto* right = transaction_of(right_.plan, slip.row);
  const auto* now = transaction_of(other.plan, slip.row);
  const bool has_tags =
      right != nullptr
          ? right_.plan.plan.controllers[right->controller].tags.has_value()
          : std::any_of(right_.plan.plan.controllers.begin(), right_.plan.plan.controllers.end(),
                        [](const auto& c) { return c.tags.has_value(); });
  if (only({HarmKind::otherwise})) return "what is done at a loss, gate or status stands once";
  if (only({HarmKind::late, HarmKind::otherwise})) {
    const bool thousandfold = slip.kind == SlipClass::duration && slip.what.ends_with("s\"") &&
                              !slip.what.ends_with("ms\"") &&
                              slip.what.find("ms\" ->") != std::string::npos;
    return thousandfold ? "" : "how old a value may be stands nowhere else";
  }
  if (only({HarmKind::unwatched}) && slip.key != "bit" && slip.key != "seen" &&
      slip.key != "from" && slip.key != "to") {
    return "how soon a stop must be noticed stands once";
  }
  if (slip.key == "numbering") return "how a manual counts stands once";
  if (slip.key == "host" || slip.key == "port") return "a host or port stands once";
  if (slip.key == "unit") {
    // another's unit is a contradiction
    for (const auto& slave : other.plan.exchange.slaves) {
      const auto same = std::count_if(
          other.plan.exchange.slaves.begin(), other.plan.exchange.slaves.end(),
          [&](const auto& each) { return each.line == slave.line && each.unit == slave.unit; });
      if (slave.line && slave.unit && same > 1) return {};
    }
    return "a unit stands once";
  }
  if (slip.key == "baud" || slip.key == "mode" || slip.key == "format" || slip.key == "framing") {
    // of the line whose section it is, at a slave of it
    const bool twice = std::any_of(right_.plan.plan.slaves.begin(), right_.plan.plan.slaves.end(),
                                   [&](const auto& slave) {
                                     return slave.settings.baud.has_value() && slave.line &&
                                            slip.row == "line." + slave.line->value;
                                   });
    return twice ? "" : "the settings stand once";
  }
  if (right == nullptr) return {};
  const bool meets = now != nullptr && collides(other.plan, *now);
  const bool moves_memory =
      slip.kind == SlipClass::memory || slip.key == "into" || slip.key == "from";
  if (moves_memory && !has_tags && !meets) return "where the program looks stands nowhere else";
  if (has_tags) {
    // words that no tag names
    const bool named = std::any_of(harms.begin(), harms.end(), [&](const Harm& h) {
      return h.kind != HarmKind::otherwise && h.kind != HarmKind::late;
    });
    if (named) return {};
  }
  if (slip.kind == SlipClass::row && slip.what == "the row is lost" && !has_tags) {
    return "that it is wanted stands nowhere else";
  }
  const bool at_device = slip.key == "at" || slip.key == "count" || slip.key == "fc" ||
                         slip.key == "slave" || slip.key == "points";
  if (at_device && now != nullptr && fits(other.plan, *now) && !meets) {
    return "it fits the map as well, and no tag says what is wanted";
  }
  if (slip.key == "swap" || slip.key == "word_order")
    return has_tags ? "" : "the order stands once";
  return {};
}

Cured Judge::after_cures(const Files& changed, bool offers) const {
  const files::FileSource source = source_of(changed);
  const files::Cures cures = files::carry_out_cures(plan_path_, source, {}, offers);
  if (cures.done.empty()) return Cured::untouched;
  if (site_.harms(cures.loaded.plan).empty()) return Cured::restored;
  return std::any_of(cures.findings.begin(), cures.findings.end(), is_grave) ? Cured::loud
                                                                             : Cured::quiet;
}

Verdict Judge::judge(const Slip& slip, bool with_cures) const {
  Verdict out;
  Files changed = files_;
  changed[slip.file] = slip.text;
  const files::LoadedPlan other = files::load_plan(plan_path_, source_of(changed));
  out.harms = site_.harms(other.plan);
  const auto found = checks::check(other.plan, other.findings);
  // "slave.fan1" is slave fan1, "controller.kiln.memory" controller kiln
  std::string row = slip.row;
  if (const std::size_t dot = row.find('.'); dot != std::string::npos) {
    row = row.substr(dot + 1, row.find_first_of(". ", dot + 1) - dot - 1);
  }
  std::map<std::string, std::size_t> rules;
  for (const model::Finding& f : found) {
    if (!is_grave(f)) continue;
    ++rules[std::string(to_string(f.rule))];
    if (out.said.empty()) out.said = std::string(to_string(f.rule)) + " " + f.message;
    out.alarmed = true;
    ++out.findings;
    const auto here = [&](const model::Range& place) {
      return place.line == slip.line && other.sources[place.file].name == slip.file;
    };
    if (f.subject.name == row || f.subject.name.ends_with("." + row) || here(f.place) ||
        f.message.find(row) != std::string::npos ||
        std::any_of(f.related.begin(), f.related.end(), [&](const model::Related& r) {
          return here(r.place) || r.text.find(row) != std::string::npos;
        })) {
      out.at_the_slip = true;
    }
  }
  for (const auto& [rule, count] : rules) {
    out.rules += (out.rules.empty() ? "" : ", ") + rule;
    if (count > 1) out.rules += " x" + std::to_string(count);
  }
  if (out.harms.empty()) {
    // it moves nothing otherwise, but contradicts itself: twice the same, or what makes no sense
    const bool contradicts = slip.kind == SlipClass::row ||
                             std::any_of(other.findings.begin(), other.findings.end(), is_grave);
    out.is_description = contradicts || describes(slip, plan_path_);
  } else {
    out.unknowable = why_unknowable(slip, other, out.harms);
  }
  if (with_cures && out.alarmed && !out.harms.empty()) {
    out.certain = after_cures(changed, false);
    out.offers = after_cures(changed, true);
  }
  return out;
}

}  // namespace greymet::mutants
