#include "probe_draft.h"

#include <algorithm>

#include <fmt/format.h>

#include "cli/print.h"
#include "cli/wire_files.h"
#include "engine/probe_map.h"
#include "engine/probe_reach.h"
#include "files/csv_text.h"
#include "files/output_folder.h"
#include "live/probe_hand.h"
#include "probe_words.h"

namespace greymet::cli::internal {

using engine::FoundStretch;
using engine::PoliteDevice;
using engine::ProbeBlock;
using model::Area;

namespace {

struct Found {
  std::vector<FoundStretch> stretches;
  std::size_t requests = 0;
  bool gave_up = false;
  std::string silent;  // why nothing at all came; empty where something did
};

tl::expected<Found, live::LiveError> read_device(const model::ResolvedPlan& plan,
                                                 const live::HandOptions& how, double share,
                                                 std::uint32_t up_to) {
  Found out;
  engine::ProbeLimits limits;
  limits.share = share;
  const auto hand_for = [&](const std::vector<ProbeBlock>& blocks) {
    std::vector<live::HandBlock> asked;
    asked.reserve(blocks.size());
    for (const ProbeBlock& block : blocks) {
      asked.push_back({0, block.area, block.first, block.count, false});
    }
    return live::Hand::open(plan, asked, once(how));
  };
  std::vector<Area> areas;
  {
    const auto blocks = engine::function_blocks(nullptr);
    auto hand = hand_for(blocks);
    if (!hand) return tl::unexpected(hand.error());
    live::HandDevice device(**hand, blocks);
    PoliteDevice polite(device, limits);
    for (const engine::FunctionAnswer& each : engine::probe_functions(polite, nullptr)) {
      if (each.implemented && *each.implemented) {
        areas.push_back(each.area);
      } else if (!each.implemented && out.silent.empty()) {
        out.silent = answer_text(each.answer, each.block);
      }
    }
    out.requests += polite.asked();
    out.gave_up = polite.gave_up();
  }
  if (!areas.empty()) out.silent.clear();
  for (const Area area : areas) {
    if (out.gave_up || how.stop.stop_requested()) break;
    const auto blocks = engine::map_blocks(area, up_to);
    auto hand = hand_for(blocks);
    if (!hand) return tl::unexpected(hand.error());
    live::HandDevice device(**hand, blocks);
    PoliteDevice polite(device, limits);
    auto stretches = engine::probe_map(polite, area, up_to);
    out.stretches.insert(out.stretches.end(), stretches.begin(), stretches.end());
    out.requests += polite.asked();
    out.gave_up = polite.had_trouble();
  }
  return out;
}

std::string table_of(const std::vector<FoundStretch>& stretches) {
  files::CsvWriter csv;
  csv.row({"point", "area", "address", "type", "note"});
  for (const FoundStretch& stretch : stretches) {
    const bool bits = is_bit_area(stretch.area);
    for (std::size_t i = 0; i < stretch.words.size(); ++i) {
      const std::size_t at = stretch.first + i;
      csv.row({fmt::format("{}{}", short_name(stretch.area), at),
               std::string(short_name(stretch.area)), std::to_string(at), bits ? "bool" : "u16",
               bits ? fmt::format("was {}", stretch.words[i])
                    : fmt::format("was {0:04X}, {0}", stretch.words[i])});
    }
  }
  return csv.take();
}

// As `new` takes it.
void name_device(const ProbeOptions& options, const std::string& map, NewOptions& made) {
  const bool serial = options.device.find('/') != std::string::npos;
  if (serial) {
    made.lines = {fmt::format("line={},{},{}", options.mode.empty() ? "rtu" : options.mode,
                              options.baud, options.format)};
  }
  made.slaves = {
      fmt::format("device={},{},{},from-0", serial ? "line" : options.device, options.unit, map)};
}

}  // namespace

int draft_plan_of_device(const ProbeOptions& options, const model::ResolvedPlan& plan,
                         const live::HandOptions& how, double share, const Terminal& terminal) {
  const auto found = read_device(plan, how, share, static_cast<std::uint32_t>(options.up_to));
  if (!found) return unreachable(terminal, found.error().message);
  if (found->stretches.empty()) {
    terminal.err << fmt::format(
        "greymet: nothing that could be read was found below {} ({} requests){}\n", options.up_to,
        found->requests, found->silent.empty() ? "" : ": " + found->silent);
    return exit_findings;
  }
  auto folder = files::OutputFolder::open(options.plan_from, false);
  if (!folder) return unreachable(terminal, folder.error().message);
  if (const auto done = folder->write("found.csv", table_of(found->stretches)); !done) {
    return unreachable(terminal, done.error().message);
  }
  for (const FoundStretch& each : found->stretches) {
    const auto count = static_cast<std::uint32_t>(each.words.size());
    terminal.out << fmt::format("found {}\n", block_text({each.area, each.first, count}));
  }
  terminal.out << fmt::format(
      "{} requests, reads alone{}\n", found->requests,
      found->gave_up ? "; the device was in trouble: there may be more" : "");
  NewOptions made;
  made.folder = options.plan_from;
  made.title = "What was found at " + options.device;
  name_device(options, options.plan_from + "/found.csv", made);
  const int status = run_new(made, terminal);
  terminal.out
      << "Nothing tells what registers mean: look types and pairs up, or hold them against "
         "the display (greymet probe PLAN device --at hr:N --type f32 --near SHOWN)\n";
  return found->gave_up ? std::max<int>(status, exit_findings) : status;
}

}  // namespace greymet::cli::internal
