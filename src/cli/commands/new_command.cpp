// New plans, and slaves that join an existing one.
#include <algorithm>
#include <filesystem>
#include <iostream>
#include <map>
#include <memory>
#include <set>

#include <fmt/format.h>

#include "cli/print.h"
#include "cli/rewrite.h"
#include "files/map_import.h"
#include "files/map_reader.h"
#include "files/new_plan.h"
#include "files/output_folder.h"
#include "files/plan_rewrite.h"
#include "files/points_export.h"
#include "files/rewrite_files.h"
#include "line/command_line.h"
#include "model/duration_text.h"
#include "model/file_name.h"
#include "model/point_list.h"
#include "model/register_map.h"
#include "model/utf8_text.h"
#include "new_map.h"
#include "new_words.h"
#include "packing/pack.h"

namespace greymet::cli {
namespace {

using files::NewSlave;

constexpr const char* map_folder = "maps/";

// Names of what can be read, by what holds it, and whether the order of words matters.
void list_points(const std::string& csv, NewSlave& slave) {
  model::Findings ignored;
  const auto numbering = slave.numbering == "reference" ? model::Numbering::reference
                         : slave.numbering == "from-1"  ? model::Numbering::from_1
                                                        : model::Numbering::from_0;
  const model::RegisterMap map = files::read_map(csv, slave.map, 0, numbering, {}, ignored);
  for (const model::Point& point : map.points()) {
    if (is_multi_register(point.type) && !point.word_order) slave.has_long_values = true;
    const bool writable = point.access != model::Access::read && !point.bit &&
                          point.address.area == model::Area::holding_register;
    if (writable) slave.writable.push_back(point.name);
    if (point.access == model::Access::write) {
      slave.all_readable = false;
      continue;
    }
    (is_bit_area(point.address.area) ? slave.bits : slave.words).push_back(point.name);
  }
}

// What nothing tells goes into the plan as assumed.
// `counts`: somebody has said how its manual counts.
void assume(const files::ImportedMap& map, bool counts, NewSlave& slave) {
  for (const files::ImportAssumption& each : map.assumed) {
    if (!each.key.empty() && (each.key != "numbering" || !counts)) {
      slave.assumed.push_back(each.key);
    }
  }
}

// ... and on the screen: what to look up.
void print_assumed(const std::vector<std::pair<std::string, std::string>>& assumed,
                   const Terminal& terminal) {
  if (assumed.empty()) return;
  terminal.out << "Assumed, look each up:\n";
  for (const auto& [slave, text] : assumed) {
    terminal.out << fmt::format("  {}: {}\n", shown(slave), shown(text));
  }
}

int usage(const Terminal& terminal, const std::string& what) {
  return usage_error(terminal, what);
}

// ---------------------------------------------------------------- a new plan

// A plan of what the command line says, and its words for each slave.
struct PlanAsked {
  files::NewPlan plan;
  std::vector<SlaveOption> slaves;  // parallel to those of the plan
};

Read<PlanAsked> plan_from(const NewOptions& options) {
  PlanAsked out;
  files::NewPlan& plan = out.plan;
  plan.title = options.title;
  plan.controller = options.controller;
  plan.period = options.period;
  if (!model::parse_duration(options.period)) {
    return tl::unexpected(fmt::format("--period takes a time such as 1s; found '{}'",
                                      shown(options.period.substr(0, 40))));
  }
  if (auto wrong = wrong_name(plan.controller); !wrong.empty()) return tl::unexpected(wrong);
  std::set<std::string> names{plan.controller};
  const auto twice = [&](const std::string& name) {
    return fmt::format("the name '{}' is given twice", shown(name.substr(0, 60)));
  };
  for (const std::string& text : options.lines) {
    auto line = line_from(text);
    if (!line) return tl::unexpected(line.error());
    const bool known = std::any_of(plan.lines.begin(), plan.lines.end(),
                                   [&](const auto& l) { return l.name == line->name; });
    if (known) return tl::unexpected(twice(line->name));
    plan.lines.push_back(std::move(*line));
  }
  for (const std::string& text : options.peers) {
    auto peer = named("peer", text, "loadout=192.168.1.20");
    if (!peer) return tl::unexpected(peer.error());
    if (auto wrong = wrong_name(peer->first); !wrong.empty()) return tl::unexpected(wrong);
    if (!names.insert(peer->first).second) return tl::unexpected(twice(peer->first));
    plan.peers.push_back({peer->first, peer->second});
  }
  const bool alone = options.lines.empty() && options.slaves.empty() && options.peers.empty();
  if (options.example && alone) plan.lines.push_back({"line1", "rtu", 19200, "8E1"});
  std::vector<std::string> slaves = options.slaves;
  if (options.example && slaves.empty()) {
    // a line without a slave says nothing
    for (std::size_t i = 0; i < plan.lines.size(); ++i) {
      slaves.push_back(fmt::format("device{}={},1", i + 1, plan.lines[i].name));
    }
  }
  for (const std::string& text : slaves) {
    auto slave = slave_from(text, plan.lines);
    if (!slave) return tl::unexpected(slave.error());
    if (auto wrong = wrong_name(slave->slave.name); !wrong.empty()) return tl::unexpected(wrong);
    if (!names.insert(slave->slave.name).second) return tl::unexpected(twice(slave->slave.name));
    plan.slaves.push_back(slave->slave);
    out.slaves.push_back(std::move(*slave));
  }
  return out;
}

// The plan with requests in place of its wants.
tl::expected<std::string, std::string> packed(const std::string& path, const std::string& text,
                                              std::map<std::string, std::string> files_beside) {
  if (text.find("\nwants = [") == std::string::npos) return text;
  files_beside[path] = text;
  const files::LoadedPlan loaded =
      files::load_plan(path, files::with_texts(files::disk_files(), std::move(files_beside)));
  if (loaded.unreadable) return tl::unexpected(loaded.findings.front().message);
  const packing::PackResult result = packing::pack(loaded.plan);
  if (!result.problems.empty()) {
    return tl::unexpected(
        fmt::format("{}; {}", result.problems.front().message, result.problems.front().remedy));
  }
  return files::with_packed_wants(text, packing::declared_of(result));
}

// The table of tags that the plan's controller would need; empty where nothing reaches it.
std::string drafted_tags(const std::string& path, const std::string& text,
                         std::map<std::string, std::string> files_beside) {
  files_beside[path] = text;
  const files::LoadedPlan loaded =
      files::load_plan(path, files::with_texts(files::disk_files(), std::move(files_beside)));
  const model::PointList list = model::point_list(loaded.plan);
  const auto tags = model::draft_tags(loaded.plan, list, model::ControllerIndex(0));
  return tags.empty() ? std::string() : files::tags_csv(tags);
}

int new_plan(const NewOptions& options, const Terminal& terminal) {
  auto made = plan_from(options);
  if (!made) return usage(terminal, made.error());
  auto& [plan, asked] = *made;
  std::map<std::string, std::string> written;                // maps by name of file
  std::vector<std::pair<std::string, std::string>> assumed;  // of which slave, and what
  const std::vector<std::string> file_names = model::file_names_of(model::names_of(plan.slaves));
  for (std::size_t s = 0; s < plan.slaves.size(); ++s) {
    NewSlave& slave = plan.slaves[s];
    slave.map = map_folder + file_names[s] + ".csv";
    std::string csv = options.example ? files::example_map() : files::empty_map();
    if (!asked[s].map_file.empty()) {
      auto map = imported(asked[s].map_file, slave.name, options, terminal);
      if (!map) {
        terminal.err << fmt::format("greymet: {}\n", shown(map.error()));
        return exit_usage;
      }
      csv = map->csv;
      slave.map_from = std::filesystem::path(asked[s].map_file).filename().string();
      slave.numbering = map->numbering;
      const bool counts = !options.numbering.empty() || !asked[s].numbering.empty();
      assume(*map, counts, slave);
      for (const auto& each : map->assumed) {
        if (each.key != "numbering" || !counts) assumed.emplace_back(slave.name, each.text);
      }
    }
    if (!options.numbering.empty()) slave.numbering = options.numbering;
    if (!asked[s].numbering.empty()) slave.numbering = asked[s].numbering;
    list_points(csv, slave);
    if (slave.has_long_values) {
      slave.assumed.emplace_back("word_order");
      assumed.emplace_back(slave.name, "long values lie in the order ABCD");
    }
    written.emplace(slave.map, csv);
  }
  const std::string name = "plan.toml";
  const std::string path = options.folder + "/" + name;
  // packed in memory: what comes to stand on the disk is the whole plan
  std::map<std::string, std::string> texts;
  for (const auto& [file, csv] : written) texts[options.folder + "/" + file] = csv;
  auto text = packed(path, files::new_plan_text(plan), texts);
  if (text && options.tags) {
    const std::string tags = drafted_tags(path, *text, texts);
    if (!tags.empty()) {
      plan.tags = fmt::format("tags/{}.csv", model::file_name_of(plan.controller));
      written.emplace(plan.tags, tags);
      texts[options.folder + "/" + plan.tags] = tags;
      text = packed(path, files::new_plan_text(plan), texts);
    }
  }
  if (!text) {
    terminal.err << fmt::format("greymet: {}\n", shown(text.error()));
    return exit_findings;
  }
  if (options.table) {
    constexpr const char* table_name = "exchange.csv";
    if (auto split = files::with_table(*text, table_name)) {
      text = std::move(split->plan);
      written.emplace(table_name, split->csv);
    }
  }
  auto folder = files::OutputFolder::open(options.folder, options.force);
  const auto unreachable_file = [&](const files::FileError& error) {
    terminal.err << fmt::format("greymet: {}\n", shown(error.message));
    return exit_unreachable;
  };
  if (!folder) return unreachable_file(folder.error());
  for (const auto& [file, csv] : written) {
    if (const auto done = folder->stage(file, csv); !done) return unreachable_file(done.error());
  }
  if (const auto done = folder->stage(name, *text); !done) return unreachable_file(done.error());
  if (const auto done = folder->commit(); !done) return unreachable_file(done.error());
  terminal.out << fmt::format("wrote {} and {} map{}{}\n", shown(path), asked.size(),
                              asked.size() == 1 ? "" : "s",
                              plan.tags.empty() ? "" : ", and " + shown(plan.tags));
  const bool good = say_check(path, terminal);
  if (!plan.slaves.empty()) {
    assumed.emplace_back("every slave", "it answers after 10 ms, 50 ms at most (`reply`)");
  }
  print_assumed(assumed, terminal);
  const bool all_there =
      !asked.empty() &&
      std::none_of(asked.begin(), asked.end(), [](const auto& a) { return a.map_file.empty(); });
  if (plan.slaves.empty()) {
    terminal.out << fmt::format(
        "Next: add a slave: greymet new --from TABLE --slave NAME=LINE,UNIT --plan {}\n",
        shown(path));
  } else if (all_there) {
    terminal.out << fmt::format("Next: greymet check {0}, greymet rehearse {0} --fast\n",
                                shown(path));
  } else {
    terminal.out << fmt::format("Next: put your devices' registers into {}, and greymet check {}\n",
                                shown(options.folder + "/" + map_folder), shown(path));
  }
  return good ? exit_fine : exit_findings;
}

// ---------------------------------------------------------------- a slave for a plan

// Where the new slave hangs: as the options say, else as its description knows.
Read<NewSlave> joining_slave(const NewOptions& options, const files::ImportedMap& map,
                             const files::LoadedPlan& loaded) {
  NewSlave slave;
  slave.name = options.slaves.front();
  if (slave.name.find('=') != std::string::npos) {
    auto read = slave_from(slave.name, [&] {
      std::vector<files::NewLine> lines;
      for (const auto& line : loaded.plan.plan.lines)
        lines.push_back({line.name, "rtu", 9600, "8E1"});
      return lines;
    }());
    if (!read) return tl::unexpected(read.error());
    if (!read->map_file.empty()) {
      return tl::unexpected(
          fmt::format("--slave {}: the map is the file of --from", shown(read->slave.name)));
    }
    slave = read->slave;
    if (!read->numbering.empty()) slave.numbering = read->numbering;
  } else if (map.endpoint) {
    slave.host = map.endpoint->host;
    slave.port = map.endpoint->port;
    slave.unit = map.endpoint->unit;
  } else {
    return tl::unexpected(
        fmt::format("say where the slave is: --slave {0}=LINE,UNIT or {0}=HOST,UNIT",
                    shown(slave.name.substr(0, 60))));
  }
  if (auto wrong = wrong_name(slave.name); !wrong.empty()) return tl::unexpected(wrong);
  for (const auto& other : loaded.plan.plan.slaves) {
    if (other.name == slave.name) {
      return tl::unexpected(
          fmt::format("the plan has a slave '{}' already; --update brings its map up to the table",
                      shown(slave.name)));
    }
  }
  for (const auto& other : loaded.plan.plan.controllers) {
    if (other.name == slave.name) {
      return tl::unexpected(fmt::format("the plan has a controller '{}'", shown(slave.name)));
    }
  }
  return slave;
}

// A name that no file has yet, capitals aside, but for one with these very bytes that no slave
// uses.
std::string free_map_name(const NewSlave& slave, const std::string& csv,
                          const files::LoadedPlan& loaded) {
  const files::FileSource source = files::disk_files();
  const std::string folder = files::folder_of_plan(loaded.sources.front().name) + "/" + map_folder;
  const std::vector<std::string> present = source.names(folder);
  const std::string wanted = model::file_name_of(slave.name);
  for (int number = 1;; ++number) {
    std::string name = number == 1 ? wanted : fmt::format("{}-{}", wanted, number);
    const std::string file = name + ".csv";
    const bool taken = std::any_of(present.begin(), present.end(), [&](const std::string& each) {
      return model::are_alike_as_files(each, file);
    });
    if (!taken) return name;
    const auto content = source(folder + file, files::largest_map);
    const auto& slaves = loaded.plan.plan.slaves;
    const bool used = std::any_of(slaves.begin(), slaves.end(), [&](const auto& other) {
      return other.map_file && model::are_alike_as_files(other.map_file->value, map_folder + file);
    });
    if (!used && content && *content == csv) return name;
  }
}

int join_plan(const NewOptions& options, const Terminal& terminal) {
  if (options.slaves.size() != 1 || options.plan.empty()) {
    return usage(terminal,
                 "--from FILE adds one slave to a plan: --slave NAME=LINE,UNIT --plan PLAN");
  }
  const UsablePlan usable = load_usable_plan(options.plan, terminal);
  if (usable.refused) return *usable.refused;
  const std::string named_slave =
      options.slaves.front().substr(0, options.slaves.front().find('='));
  auto map = imported(options.from, named_slave, options, terminal);
  if (!map) {
    terminal.err << fmt::format("greymet: {}\n", shown(map.error()));
    return exit_usage;
  }
  auto slave = joining_slave(options, *map, usable.loaded);
  if (!slave) return usage(terminal, slave.error());
  slave->map = map_folder + free_map_name(*slave, map->csv, usable.loaded) + ".csv";
  slave->map_from = std::filesystem::path(options.from).filename().string();
  const bool counts = slave->numbering.has_value() || !options.numbering.empty();
  if (!counts) {
    slave->numbering = map->numbering;
  } else if (!options.numbering.empty()) {
    slave->numbering = options.numbering;
  }
  assume(*map, counts, *slave);
  list_points(map->csv, *slave);
  if (slave->has_long_values) slave->assumed.emplace_back("word_order");
  const std::string& before = usable.loaded.sources.front().text;
  const std::string after = files::with_new_slave(before, *slave);
  const std::string parent = std::filesystem::path(options.plan).parent_path().string();
  const std::string map_path = parent.empty() ? slave->map : parent + "/" + slave->map;

  // read back before anything is written: it has to be the same plan, and one slave more
  const auto again = files::load_plan(
      options.plan,
      files::with_texts(files::disk_files(), {{options.plan, after}, {map_path, map->csv}}));
  if (again.unreadable ||
      again.plan.plan.slaves.size() != usable.loaded.plan.plan.slaves.size() + 1) {
    terminal.err << "greymet: the plan cannot be extended behind its end: add the slave by hand\n"
                 << files::new_slave_text(*slave);
    return exit_findings;
  }
  std::vector<files::ChangedFile> changed{{options.plan, before, after}};
  // there already: a run that could not go on left it, with these very bytes
  const bool stands = files::disk_files()(map_path, files::largest_map).has_value();
  if (!stands) changed.insert(changed.begin(), {map_path, std::nullopt, map->csv});
  if (const int status = write_files(options.plan, changed, terminal); status != exit_fine) {
    return status;
  }
  terminal.out << fmt::format("slave {} stands at the end of {}\n", shown(slave->name),
                              shown(options.plan));
  const bool good = say_check(options.plan, terminal);
  std::vector<std::pair<std::string, std::string>> assumed;
  for (const auto& each : map->assumed) {
    if (each.key != "numbering" || !counts) assumed.emplace_back(slave->name, each.text);
  }
  if (slave->has_long_values)
    assumed.emplace_back(slave->name, "long values lie in the order ABCD");
  print_assumed(assumed, terminal);
  terminal.out << fmt::format(
      "Next: add a row to wants, such as\n  {{ slave = \"{}\", points = [\"*\"], every = \"1s\", "
      "into = \"%MW\" }}\n",
      shown(slave->name));
  return good ? exit_fine : exit_findings;
}

}  // namespace

int run_new(const NewOptions& options, const Terminal& terminal) {
  if (!options.numbering.empty() && !is_numbering(options.numbering)) {
    return usage(terminal, fmt::format("--numbering is from-0, from-1 or reference; found '{}'",
                                       shown(options.numbering.substr(0, 40))));
  }
  for (const std::string& reading : options.readings) {
    if (auto wrong = wrong_reading(reading); !wrong.empty()) return usage(terminal, wrong);
  }
  if (!options.from.empty()) {
    if (!options.folder.empty())
      return usage(terminal, "--from adds to the plan of --plan; it takes no DIR");
    if (options.tags) {
      return usage(terminal,
                   "--tags drafts for a new plan; for one that stands: greymet points PLAN --tags "
                   "CONTROLLER");
    }
    return options.update ? update_map(options, terminal) : join_plan(options, terminal);
  }
  if (options.update) return usage(terminal, "--update goes with --from, --slave and --plan");
  if (options.dry_run) return usage(terminal, "--dry-run goes with --update");
  if (options.folder.empty()) {
    return usage(
        terminal,
        "new takes a folder for a new plan, or --from FILE --slave NAME=LINE,UNIT --plan PLAN");
  }
  if (!options.plan.empty()) return usage(terminal, "--plan goes with --from");
  return new_plan(options, terminal);
}

Action declare_new(CLI::App& command, const Terminal& terminal) {
  const auto options = std::make_shared<NewOptions>();
  command.add_option("DIR", options->folder, "folder for the new plan");
  command.add_option("--title", options->title, "of the plan")->type_name("TEXT");
  command.add_option("--controller", options->controller, "name of the controller")
      ->capture_default_str()
      ->type_name("NAME");
  command
      .add_option("--line", options->lines,
                  "a serial line: NAME=rtu|ascii,BAUD,FORMAT, e.g. "
                  "north=rtu,19200,8E1; again for each")
      ->expected(1)
      ->take_all()
      ->type_name("LINE");
  command
      .add_option(
          "--slave", options->slaves,
          "a slave: NAME=LINE,UNIT or NAME=HOST[:PORT][,UNIT], and behind more commas its map, and "
          "how its manual counts (from-0, from-1, reference); again for each")
      ->expected(1)
      ->take_all()
      ->type_name("SLAVE");
  command.add_option("--peer", options->peers, "another controller: NAME=ADDRESS; again for each")
      ->expected(1)
      ->take_all()
      ->type_name("PEER");
  command.add_option("--period", options->period, "how often slaves are read")
      ->capture_default_str()
      ->type_name("TIME");
  command
      .add_option("--from", options->from,
                  "with --plan: the registers of the new slave: .csv, .txt, .html, .xlsx, .ods, a "
                  "Thing Description (.json), or - for what is piped in")
      ->type_name("FILE");
  command.add_option("--plan", options->plan, "with --from: the plan that gets the slave")
      ->type_name("PLAN");
  command.add_flag(
      "--update", options->update,
      "with --from: the table is a newer revision of the map of a slave that is there");
  command.add_flag("--dry-run", options->dry_run,
                   "with --update: show what would change, and leave it");
  command
      .add_option("--sheet", options->sheet,
                  "of a workbook, or \"table 2\" of a page; else the first with known headings")
      ->type_name("NAME");
  command
      .add_option("--reading", options->readings,
                  "an answer to what a table does not tell: addresses=hex, scale=divide, "
                  "area=hr; for one slave alone NAME:KEY=ANSWER; again for each")
      ->expected(1)
      ->take_all()
      ->type_name("ANSWER");
  command
      .add_option("--headings", options->headings,
                  "more headings that tables have: lines of HEADING,COLUMN")
      ->type_name("FILE");
  command
      .add_option("--numbering", options->numbering,
                  "how manuals count: from-0, from-1 or reference; else as the map tells")
      ->type_name("WAY");
  command.add_flag("--tags", options->tags,
                   "draft the table of tags as well: what the controller's program has to declare");
  command.add_flag("--table", options->table,
                   "the transactions go into exchange.csv beside the plan, for a spreadsheet");
  command.add_flag("--example", options->example,
                   "slaves without a map get an example, to try things with");
  command.add_flag("--force", options->force, "overwrite files that greymet did not write");
  return [options, &terminal] { return run_new(*options, terminal); };
}

}  // namespace greymet::cli
