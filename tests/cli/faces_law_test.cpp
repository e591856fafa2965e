// The law of tables: all faces of one table hold the same cells. Each face is read back here by a
// reader of its own (a CSV reader, JSON, XML of the workbook, tags of HTML, columns of text) and
// held against the value. Tables: all that the demo has, and random ones with hostile words.
#include "tables/table.h"

#include <fmt/format.h>
#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <fstream>
#include <set>

#include "archive.h"
#include "checks/catalogue.h"
#include "checks/check.h"
#include "cli/table_text.h"
#include "cli/terminal.h"
#include "engine/rehearsal.h"
#include "engine/world.h"
#include "exports/exchange_diff.h"
#include "exports/table_pages.h"
#include "files/answers_tables.h"
#include "files/table_csv.h"
#include "files/table_json.h"
#include "model/memory_report.h"
#include "model/utf8_text.h"
#include "packing/pack.h"
#include "packing/tune.h"
#include "plans.h"
#include "tables/audit_tables.h"
#include "tables/measured_tables.h"
#include "tables/packing_tables.h"
#include "tables/plan_tables.h"
#include "tables/probe_tables.h"
#include "tables/timing_tables.h"
#include "timing/measured_facts.h"
#include "timing/point_ages.h"
#include "timing/report.h"

using namespace greymet;
using namespace greymet::tables;

namespace {

// What a reader of any face has to find: texts as they are shown, numbers as numbers.
struct Wanted {
  std::string text;
  std::optional<double> number;
};

Wanted wanted(const Cell& cell) {
  if (const auto* whole = std::get_if<std::int64_t>(&cell)) {
    return {"", static_cast<double>(*whole)};
  }
  if (const auto* number = std::get_if<double>(&cell)) return {"", *number};
  if (const auto* d = std::get_if<Duration>(&cell)) {
    return {"", static_cast<double>(d->count()) / 1e6};
  }
  if (const auto* flag = std::get_if<bool>(&cell)) return {*flag ? "true" : "false", {}};
  if (const auto* state = std::get_if<State>(&cell)) return {model::shown(state->word), {}};
  if (const auto* text = std::get_if<std::string>(&cell)) return {model::shown(*text), {}};
  std::string joined;
  if (const auto* words = std::get_if<Words>(&cell)) {
    for (const std::string& word : *words) joined += (joined.empty() ? "" : "; ") + word;
  }
  return {model::shown(joined), {}};
}

std::vector<std::vector<std::string>> csv_rows(const std::string& text) {
  std::vector<std::vector<std::string>> rows(1, {""});
  bool quoted = false;
  for (std::size_t i = 0; i < text.size(); ++i) {
    const char c = text[i];
    if (quoted && c == '"' && i + 1 < text.size() && text[i + 1] == '"') {
      rows.back().back() += text[++i];
    } else if (c == '"') {
      quoted = !quoted;
    } else if (!quoted && c == ',') {
      rows.back().emplace_back();
    } else if (!quoted && c == '\r') {
      rows.emplace_back(1);
      ++i;
    } else {
      rows.back().back() += c;
    }
  }
  rows.pop_back();
  return rows;
}

// Cells between tags, with entities put back.
std::string unescaped(std::string text) {
  for (std::size_t open = text.find('<'); open != std::string::npos; open = text.find('<')) {
    text.erase(open, text.find('>', open) + 1 - open);
  }
  for (const auto& [entity, plain] : std::vector<std::pair<std::string, std::string>>{
           {"&lt;", "<"}, {"&gt;", ">"}, {"&quot;", "\""}, {"&#39;", "'"}, {"&amp;", "&"}}) {
    for (std::size_t at = text.find(entity); at != std::string::npos;
         at = text.find(entity, at + plain.size())) {
      text.replace(at, entity.size(), plain);
    }
  }
  return text;
}
std::vector<std::string> between(const std::string& text, const std::string& open,
                                 const std::string& close) {
  std::vector<std::string> out;
  for (std::size_t at = text.find("<" + open); at != std::string::npos;
       at = text.find("<" + open, at)) {
    const std::size_t from = text.find('>', at) + 1;
    const std::size_t end = text.find(close, from);
    out.push_back(text.substr(from, end - from));
    at = end;
  }
  return out;
}

bool same_number(const std::string& text, double number, double to_within) {
  std::size_t used = 0;
  double read = NAN;
  try {
    read = std::stod(text, &used);
  } catch (const std::exception&) {
    return false;
  }
  return used == text.size() && std::abs(read - number) <= to_within + 1e-9 * std::abs(number);
}

void check_csv(const Table& table) {
  const auto rows = csv_rows(files::table_csv(table));
  REQUIRE(rows.size() == table.rows.size() + 1);
  for (std::size_t c = 0; c < table.columns.size(); ++c) {
    REQUIRE(rows[0].size() == table.columns.size());
    CHECK(rows[0][c] == table.columns[c].key);
  }
  for (std::size_t r = 0; r < table.rows.size(); ++r) {
    REQUIRE(rows[r + 1].size() == table.columns.size());
    for (std::size_t c = 0; c < table.columns.size(); ++c) {
      const Wanted want = wanted(table.rows[r].cells[c]);
      std::string found = rows[r + 1][c];
      INFO(table.name << " " << table.columns[c].key << " row " << r << ": " << found);
      if (want.number) {
        REQUIRE(same_number(found, *want.number, 0));
      } else {
        // a mark before what a spreadsheet would take for a formula is no part of the text
        if (found != want.text && found.starts_with('\'')) found.erase(0, 1);
        REQUIRE(found == want.text);
      }
    }
  }
}

void check_json(const Table& table) {
  const auto rows = nlohmann::json::parse(files::json_array(table));
  REQUIRE(rows.size() == table.rows.size());
  Table back{table.name, "", table.columns, {}};
  files::add_rows_of(nlohmann::ordered_json::parse(files::json_array(table)), back);
  for (std::size_t r = 0; r < table.rows.size(); ++r) {
    for (std::size_t c = 0; c < table.columns.size(); ++c) {
      const Cell& cell = table.rows[r].cells[c];
      const auto& value = rows[r].at(std::string(table.columns[c].key));
      INFO(table.name << " " << table.columns[c].key << " row " << r << ": " << value);
      if (cell.index() == 0) {
        REQUIRE(value.is_null());
      } else if (const Wanted want = wanted(cell); want.number) {
        REQUIRE(value.is_number());
        REQUIRE(std::abs(value.get<double>() - *want.number) <= 1e-9 * std::abs(*want.number));
      } else if (const auto* words = std::get_if<Words>(&cell)) {
        REQUIRE(value.size() == words->size());
        for (std::size_t w = 0; w < words->size(); ++w) {
          REQUIRE(model::shown(value[w].get<std::string>()) == model::shown((*words)[w]));
        }
      } else if (value.is_boolean()) {
        REQUIRE(want.text == (value.get<bool>() ? "true" : "false"));
      } else {
        REQUIRE(model::shown(value.get<std::string>()) == want.text);
      }
      // what is read back is a duration to the nanosecond, a number, a whole number
      if (std::holds_alternative<Duration>(cell) && table.columns[c].kind == Kind::duration) {
        REQUIRE(back.rows[r].cells[c] == cell);
      }
    }
  }
}

void check_html(const Table& table) {
  const std::string html = exports::table_html(table);
  if (table.rows.empty()) {
    CHECK(unescaped(html).find(table.none) != std::string::npos);
    return;
  }
  // headings of groups hold what is said once for a group
  std::size_t r = 0;
  const auto tables_of = between(html, "tbody", "</tbody>");
  const auto heads = between(html, "h3", "</h3>");
  const auto ths_n = between(between(html, "thead", "</thead>").front(), "th", "</th>");
  std::vector<std::size_t> columns;  // as the face has them, found by their headings
  std::set<std::size_t> taken;
  for (const std::string& th : ths_n) {
    for (std::size_t c = 0; c < table.columns.size(); ++c) {
      if (table.columns[c].outer || taken.count(c) > 0) continue;
      if (unescaped(th) != heading_of(table.columns[c])) continue;
      columns.push_back(c);
      taken.insert(c);
      break;
    }
  }
  REQUIRE(columns.size() == ths_n.size());
  for (std::size_t g = 0; g < tables_of.size(); ++g) {
    const auto trs = between(tables_of[g], "tr", "</tr>");
    for (std::size_t line = 0; line < trs.size(); ++line) {
      REQUIRE(r < table.rows.size());
      const auto tds = between(trs[line], "td", "</td>");
      REQUIRE(tds.size() == columns.size());
      std::vector<std::string> below;  // "heading value"
      if (line + 1 < trs.size() && trs[line + 1].find("<ul") != std::string::npos) {
        for (const std::string& item : between(trs[++line], "li", "</li>")) {
          below.push_back(unescaped(item));
        }
      }
      for (std::size_t c = 0; c < table.columns.size(); ++c) {
        const Cell& cell = table.rows[r].cells[c];
        const Column& column = table.columns[c];
        const auto at = std::find(columns.begin(), columns.end(), c);
        std::string found = "–";
        if (column.outer) {
          found = unescaped(heads.at(g));
        } else if (at != columns.end()) {
          found = unescaped(tds[static_cast<std::size_t>(at - columns.begin())]);
        } else {
          const std::string name = std::string(column.heading) + " ";
          for (const std::string& item : below) {
            if (item.starts_with(name)) found = item.substr(name.size());
          }
          const std::string unit = column.kind == Kind::duration ? "ms" : std::string(column.unit);
          if (found != "–" && !unit.empty()) {
            REQUIRE(found.ends_with(" " + unit));
            found.resize(found.size() - unit.size() - 1);
          }
          if (cell == Cell(false)) found = "no";  // only what is so is said below
        }
        const Wanted want = wanted(cell);
        INFO(table.name << " " << column.key << " row " << r << ": " << found);
        if (column.outer) {
          REQUIRE((want.number || found.find(want.text) != std::string::npos));
        } else if (want.number) {
          REQUIRE(same_number(found, *want.number, std::abs(*want.number) >= 1e15 ? 1e12 : 5.1e-4));
        } else if (want.text.empty()) {
          REQUIRE(found == "–");
        } else if (const auto* words = std::get_if<Words>(&cell)) {
          for (const std::string& word : *words) {
            REQUIRE(found.find(model::shown(word)) != std::string::npos);
          }
        } else if (std::holds_alternative<bool>(cell)) {
          REQUIRE(found == (want.text == "true" ? "yes" : "no"));
        } else {
          REQUIRE(found == want.text);
        }
      }
      ++r;
    }
  }
  REQUIRE(r == table.rows.size());
}

void check_workbook(const Table& table, const std::vector<std::vector<std::string>>& sheet) {
  REQUIRE(sheet.size() == table.rows.size() + 1);
  for (std::size_t c = 0; c < table.columns.size(); ++c) {
    CHECK(sheet[0].at(c) == heading_of(table.columns[c]));
  }
  for (std::size_t r = 0; r < table.rows.size(); ++r) {
    for (std::size_t c = 0; c < table.columns.size(); ++c) {
      const Wanted want = wanted(table.rows[r].cells[c]);
      const std::string found = c < sheet[r + 1].size() ? sheet[r + 1][c] : std::string();
      INFO(table.name << " " << table.columns[c].key << " row " << r << ": " << found);
      if (want.number) {
        REQUIRE(same_number(found, *want.number, 0));
      } else {
        REQUIRE(found == want.text);
      }
    }
  }
}

// On a terminal that is wide enough every value stands in its row; narrower ones say what is gone.
void check_text(const Table& table) {
  std::ostringstream nowhere;
  constexpr std::size_t wide = 100'000;
  const std::string text =
      cli::table_text("title", table, cli::plain_terminal(nowhere, nowhere, wide));
  std::vector<std::string> lines;
  std::istringstream in(text);
  for (std::string line; std::getline(in, line);) lines.push_back(line);
  CHECK(text.find("too wide for here") == std::string::npos);
  if (table.rows.empty()) return;
  // below the rows: what is 0 everywhere, and what the columns mean
  const auto is_remark = [&](const std::string& line) {
    return line.starts_with("  none anywhere: ") ||
           std::any_of(table.columns.begin(), table.columns.end(), [&](const Column& column) {
             return line.find(fmt::format("{}: {}", column.heading, column.meaning)) !=
                    std::string::npos;
           });
  };
  std::size_t remarks = 0;
  while (remarks < 2 && is_remark(lines.at(lines.size() - 1 - remarks))) ++remarks;
  const auto at_end = [&](std::size_t r) {
    return lines.at(lines.size() - table.rows.size() - remarks + r);
  };
  for (std::size_t r = 0; r < table.rows.size(); ++r) {
    const std::string line = at_end(r);
    for (std::size_t c = 0; c < table.columns.size(); ++c) {
      const Wanted want = wanted(table.rows[r].cells[c]);
      INFO(table.name << " " << table.columns[c].key << ": " << line);
      if (want.number || want.text.empty() ||
          std::holds_alternative<bool>(table.rows[r].cells[c])) {
        continue;
      }
      if (std::holds_alternative<Words>(table.rows[r].cells[c])) continue;  // cut to a width
      REQUIRE(line.find(model::shortened(want.text, 33).substr(0, 20)) != std::string::npos);
    }
  }
  for (const std::size_t width : {80U, 100U, 132U}) {
    const std::string narrow =
        cli::table_text("title", table, cli::plain_terminal(nowhere, nowhere, width));
    for (std::size_t c = 0; c < table.columns.size(); ++c) {
      if (!columns_with_values(table)[c]) continue;
      // each word of its heading is there, as a column or in a line below
      const std::string heading(table.columns[c].heading);
      INFO(table.name << " at " << width << ": " << heading << "\n" << narrow);
      CHECK(narrow.find(heading.substr(0, heading.find(' '))) != std::string::npos);
    }
  }
}

void check_faces(const std::vector<Table>& all) {
  for (const Table& table : all) {
    for (const Row& row : table.rows) REQUIRE(row.cells.size() == table.columns.size());
    check_csv(table);
    check_json(table);
    check_html(table);
    check_text(table);
  }
  const auto sheets = test::sheets_of(*exports::tables_workbook(all));
  REQUIRE(sheets.size() == all.size());
  for (std::size_t i = 0; i < all.size(); ++i) check_workbook(all[i], sheets[i]);
}

// Every table that the demo has something for.
std::vector<Table> demo_tables() {
  const auto loaded = files::load_plan(GREYMET_EXAMPLES "/maltings.toml", files::disk_files());
  const auto draft = files::load_plan(GREYMET_EXAMPLES "/draft.toml", files::disk_files());
  const model::ResolvedPlan& plan = loaded.plan;
  const auto points = model::point_list(plan);
  timing::AnalysisOptions how;
  how.frame_error_rate = 1e-5;
  const auto timing = timing::analyse(plan, how);
  const auto memory = model::memory_report(plan);
  engine::WorldOptions world;
  engine::World stage(plan, timing.model, world);
  engine::RehearsalOptions rehearsal;
  rehearsal.quiet = std::chrono::seconds(3);
  const auto result = engine::rehearse(plan, timing, stage, rehearsal, {});
  engine::Expectation expectation;
  expectation.where = "moisture.grain_temp";
  expectation.value = 21.5;
  packing::TuneAdvice advice;
  advice.line = "north";
  advice.changes.push_back({packing::TuneKind::period, "every = \"2s\"", "older values", {}, {}});
  modbus::ValueQuestion question;
  question.words = {0x4148, 0};
  question.type = *model::data_type_from("f32");
  question.near = "12.5";
  files::FrameAnswer frame;
  frame.name = "moisture-in";
  frame.request_fields.fields.push_back({0, {std::byte{12}}, "unit", "12", false});
  frame.reply_fields.fields.push_back({1, {std::byte{3}}, "function", "3, <b>", true});
  std::vector<const checks::RuleEntry*> rules;
  for (const checks::RuleEntry& entry : checks::catalogue()) rules.push_back(&entry);
  std::vector<std::string> sources;
  for (const auto& source : draft.sources) sources.push_back(source.name);
  auto again = files::load_plan(GREYMET_EXAMPLES "/maltings.toml", files::disk_files());
  model::ResolvedPlan& measured = again.plan;
  measured.plan.measured = timing::measured_facts(
      measured, "run.json",
      {{"burner-in", 12, std::chrono::milliseconds(40), std::chrono::milliseconds(90)}});
  engine::RunHeartbeat beat;
  beat.produced = 4;
  beat.not_watched = "not carried";
  files::LogTrends followed;
  followed.trends.resize(1);
  followed.trends[0].of.where = "moisture.grain_temp";
  followed.trends[0].of.unit = "C";
  followed.trends[0].time_s = {0.5, 1.5};
  followed.trends[0].value = {20.25, 21};
  followed.acts = {{"quiet", 0, 1}};
  followed.end_s = 1.5;
  return {slaves_table(plan),
          masters_table(plan),
          transactions_table(plan),
          points_table(plan, points, timing::age_bounds(plan, points, timing)),
          memory_table(plan, memory),
          registers_table(plan, memory),
          findings_table(sources, checks::check(draft.plan, draft.findings)),
          accepts_table(plan),
          not_judged_table(plan),
          assumed_table(plan),
          measured_facts_table(measured),
          rules_table(rules),
          lines_table(timing),
          timing_table(timing),
          heartbeats_table(timing),
          paths_table(timing),
          tag_ages_table(timing),
          silent_slaves_table(plan, timing),
          requests_table(packing::pack(plan)),
          measured_table(result.transactions),
          faults_table(plan, result.faults),
          blocks_table(plan, result.blocks),
          rehearsed_heartbeats_table(plan, result.heartbeats),
          run_heartbeats_table(plan, {beat}),
          wires_table(timing, {engine::WireState()}),
          watchdogs_table(plan, result.watchdogs),
          expected_table({expectation}, {{}}),
          changes_table(std::vector{advice}),
          exports::changes_table({{"transaction", "burner-set", "period", "1s", "500ms"}}),
          exports::timing_changes_table({{"line north", "use", "percent", 44.79, 48.45},
                                         {"path a", "verdict", "", {}, "good"}}),
          files::addresses_table({{"400101", *model::look_up_address("400101", &plan, {})}}),
          files::readings_table(question, *modbus::read_in_all_orders(question)),
          files::fields_table({frame}),
          files::samples_table(followed),
          files::trends_table(followed),
          probe_table({{"gauge", "hole", "hr:4..7", "exception 02", {"refused", Mood::plain}}}),
          readings_table({{"gauge", "hr:0..1", "42F6 E979", "f32", "123.456", "1", "2", "3"}}),
          plan_lines_table({{"gauge", "holes", "\"refuse\"", "shown", {"new", Mood::good}}}),
          audit_table({{"air-in",
                        Duration(1'000'000'000),
                        10,
                        999.9,
                        Duration(4'000'000),
                        Duration(5'000'000),
                        Duration(48'000'000),
                        0,
                        1,
                        {"failing", Mood::bad},
                        "1 of 10"}}),
          unplanned_table({{"function 3, hr:9", {"10.0.0.1"}, 4, 500.5, 0, 0, "air-in"}}),
          silences_table({{"line north",
                           Duration(1'250'000'000),
                           Duration(200'000'000),
                           {"no answer", Mood::bad},
                           "function 3, hr:9 of unit 12 at line north",
                           "air-in"}}),
          clients_table({{"10.20.0.31:502", "10.0.0.1", 25}})};
}

}  // namespace

TEST_CASE("all faces of every table of the demo hold the same cells") {
  const std::vector<Table> all = demo_tables();
  std::size_t filled = 0;
  for (const Table& table : all) filled += table.rows.empty() ? 0U : 1U;
  CHECK(filled >= 16);
  // keys are unique, and every column says what it means
  for (const Table& table : all) {
    std::set<std::string_view> keys;
    for (const Column& column : table.columns) {
      INFO(table.name << " " << column.key);
      CHECK(keys.insert(column.key).second);
      CHECK_FALSE(column.meaning.empty());
      CHECK(column.key.ends_with("_ms") == (column.kind == Kind::duration || column.unit == "ms"));
    }
  }
  check_faces(all);
}

TEST_CASE("docs/tables.md says what every column means") {
  std::string text =
      "# Tables\n\nWhat commands find out in tables is the same on the terminal, in JSON, CSV, "
      "workbook and pages: a "
      "key, a heading, a meaning.\nDurations are in milliseconds wherever they are numbers; empty "
      "cells are `null` in "
      "JSON. This page is what the program says of itself.\n";
  for (const Table& table : demo_tables()) {
    text += fmt::format("\n## {}\n\n| key | heading | what it is |\n|---|---|---|\n", table.name);
    for (const Column& column : table.columns) {
      text += fmt::format("| `{}` | {} | {} |\n", column.key, heading_of(column), column.meaning);
    }
  }
  const std::string path = GREYMET_SOURCE "/docs/tables.md";
  if (std::getenv("GREYMET_WRITE_GOLDEN") != nullptr) std::ofstream(path) << text;
  std::ifstream in(path);
  CHECK(std::string(std::istreambuf_iterator<char>(in), {}) == text);
}

TEST_CASE("whatever stands in a table, its faces hold it") {
  rc::prop("random tables", [] {
    static constexpr const char* words[] = {"plain",    "with, comma", "\"quoted\"", "=1+1",
                                            "<b>&amp;", "a\nb",        "\xC3\xA9",   "-3",
                                            "\x1B[31m", "'single'",    "a; b"};
    static constexpr const char* keys[] = {"a", "b", "c_ms", "d", "e", "f", "g"};
    static constexpr Kind kinds[] = {Kind::text,     Kind::flag,  Kind::whole, Kind::number,
                                     Kind::duration, Kind::words, Kind::state};
    const auto word = [] { return std::string(words[*rc::gen::inRange<std::size_t>(0, 11)]); };
    Table table{"random", "nothing is here", {}, {}};
    std::vector<Kind> of;
    for (const char* key : keys) {
      of.push_back(key[1] != 0 ? Kind::duration : kinds[*rc::gen::inRange<std::size_t>(0, 7)]);
      if (key[1] == 0 && of.back() == Kind::duration) of.back() = Kind::text;
      table.columns.push_back({key, key, of.back(), "whatever", *rc::gen::inRange(1, 9)});
    }
    const int rows = *rc::gen::inRange(0, 6);
    for (int r = 0; r < rows; ++r) {
      std::vector<Cell> cells;
      for (const Kind kind : of) {
        Cell cell;
        switch (*rc::gen::inRange(0, 4) == 0 ? Kind::text : kind) {
          case Kind::text:
            if (kind == Kind::text) cell = word();
            break;
          case Kind::flag: cell = *rc::gen::arbitrary<bool>(); break;
          case Kind::whole: cell = static_cast<std::int64_t>(*rc::gen::inRange(-5, 100000)); break;
          case Kind::number: cell = *rc::gen::inRange(-5000, 100000) / 8.0; break;
          case Kind::duration:
            cell = Duration(*rc::gen::inRange<std::int64_t>(0, 4'000'000'000'000));
            break;
          case Kind::words: cell = Words(*rc::gen::inRange<std::size_t>(0, 3), word()); break;
          case Kind::state: cell = State{word(), Mood::bad}; break;
        }
        cells.push_back(cell);
      }
      table.add(cells);
    }
    check_csv(table);
    check_json(table);
    check_html(table);
  });
}
