// Shared by the sources of resolve(): not for use outside this folder.
#pragma once

#include <string>
#include <string_view>
#include <unordered_map>
#include <vector>

#include "model/resolved_plan.h"

namespace greymet::model::internal {

// Names of the plan, for look-up; the first of two equal names wins.
struct Names {
  std::unordered_map<std::string, std::size_t> controllers;
  std::unordered_map<std::string, std::size_t> lines;
  std::unordered_map<std::string, std::size_t> gateways;
  std::unordered_map<std::string, std::size_t> slaves;
  std::unordered_map<std::string, std::size_t> targets;  // slaves and controllers, for suggestions
};

// Collects findings for one subject.
class Reporter {
 public:
  Reporter(Findings& findings, Subject subject)
      : findings_(findings), subject_(std::move(subject)) {}

  void error(RuleCode rule, Range place, std::string message, std::string remedy,
             std::vector<Related> related = {}) {
    findings_.push_back({.rule = rule,
                         .severity = Severity::error,
                         .place = place,
                         .subject = subject_,
                         .message = std::move(message),
                         .remedy = std::move(remedy),
                         .related = std::move(related)});
  }
  // P06 for one key.
  void missing(std::string_view key, Range place, std::string message, std::string remedy) {
    error(RuleCode::P06, place, std::move(message), std::move(remedy));
    findings_.back().about = key;
  }

  // The finding just reported.
  [[nodiscard]] Finding& last() { return findings_.back(); }

 private:
  Findings& findings_;
  Subject subject_;
};

// `value`: what the transaction always sends.
void resolve_constants(const ResolvedPlan& resolved, const Transaction& declared,
                       ResolvedTransaction& t, Reporter& report);

// The index behind a name, or P03 with the nearest known name.
[[nodiscard]] std::optional<std::size_t> look_up(
    const std::unordered_map<std::string, std::size_t>& names, const Located<std::string>& name,
    std::string_view kind, Reporter& report);
// The same as an index of that kind of thing.
template <class I>
[[nodiscard]] std::optional<I> look_up_as(const std::unordered_map<std::string, std::size_t>& names,
                                          const Located<std::string>& name, std::string_view kind,
                                          Reporter& report) {
  const auto found = look_up(names, name, kind, report);
  return found ? std::optional<I>(I(*found)) : std::nullopt;
}

// Who a transaction asks; nothing, with a finding where it names one that is not there.
[[nodiscard]] std::optional<Target> resolve_target(const Names& names, const Transaction& declared,
                                                   Reporter& report);
// Who sends it: the controller it names, the master of the target's line, or the only one.
[[nodiscard]] std::optional<ControllerIndex> resolve_controller(const ResolvedPlan& resolved,
                                                                const Names& names,
                                                                const Transaction& declared,
                                                                const std::optional<Target>& target,
                                                                Reporter& report);

// Reports a memory failure as M03 or P05, whichever it is.
void report_memory_failure(const MemoryFailure& failure, Range place, Reporter& report);

// The bit or word that a text names, or a finding.
[[nodiscard]] std::optional<MemoryRange> resolve_bit(const MemoryLayout& layout,
                                                     const Located<std::string>& text,
                                                     Reporter& report);
[[nodiscard]] std::optional<MemoryRange> resolve_bit_or_word(const MemoryLayout& layout,
                                                             const Located<std::string>& text,
                                                             Reporter& report);

// A range that the plan left to us: `slot` is filled in with the next free one.
struct Unplaced {
  ControllerIndex controller;
  std::size_t area = 0;
  std::int64_t count = 0;
  std::size_t transaction = 0;
  bool is_into = false;
  Range place;
};

void resolve_transactions(ResolvedPlan& resolved, const Names& names,
                          std::vector<Unplaced>& unplaced, Findings& findings);
// Registers or bits of one direction of a transaction; sets the function where it was left out.
void resolve_block(const ResolvedPlan& resolved, const Transaction& declared,
                   const BlockText& block, bool is_read, ResolvedTransaction& t, Reporter& report);
// Gives every unplaced range the lowest free numbers, in list order.
void assign_memory(ResolvedPlan& resolved, const std::vector<Unplaced>& unplaced,
                   Findings& findings);

// Memory and other ends of every tag; needs the flow of values.
void resolve_tags(ResolvedPlan& resolved, const Names& names, Findings& findings);

}  // namespace greymet::model::internal
