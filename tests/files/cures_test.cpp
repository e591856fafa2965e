// Cures as edits: what they come to in the text, and the law that each of them keeps.
#include <fmt/format.h>
#include <catch2/catch.hpp>

#include <algorithm>
#include <fstream>
#include <iterator>
#include <map>
#include <random>
#include <set>
#include <sstream>

#include "checks/catalogue.h"
#include "files/cures.h"
#include "plans.h"

using namespace greymet;
using model::Edit;
using model::EditKind;
using model::Finding;
using model::Findings;
using model::Fix;

namespace {

// Lines and columns as the edits name them, counted anew: columns in code points.
std::size_t byte_at(const std::string& text, std::uint32_t line, std::uint32_t column) {
  std::size_t at = 0;
  for (std::uint32_t l = 1; l < line; ++l) at = text.find('\n', at) + 1;
  for (std::uint32_t c = 1; c < column; ++c) {
    ++at;
    while (at < text.size() && (static_cast<unsigned char>(text[at]) & 0xC0U) == 0x80U) ++at;
  }
  return at;
}

// Carries plain replacements out by hand.
test::Files applied(test::Files files, const files::LoadedPlan& loaded, const Fix& fix) {
  std::vector<Edit> edits = fix.edits;
  std::sort(edits.begin(), edits.end(),
            [](const Edit& a, const Edit& b) { return b.range < a.range; });
  for (const Edit& edit : edits) {
    REQUIRE(edit.kind == EditKind::replace);
    std::string& text = files.at(loaded.sources[edit.range.file].name);
    const std::size_t begin = byte_at(text, edit.range.line, edit.range.column);
    const std::size_t end = byte_at(text, edit.range.end_line, edit.range.end_column);
    text.replace(begin, end - begin, edit.text);
  }
  return files;
}

struct Checked {
  files::LoadedPlan loaded;
  Findings findings;
};

Checked checked(const test::Files& files) {
  Checked out;
  out.loaded = files::load_plan("plan.toml", files::memory_files(files));
  out.findings = checks::check(out.loaded.plan, out.loaded.findings);
  return out;
}

using Counts =
    std::map<std::tuple<model::RuleCode, model::Subject>, std::map<model::Severity, int>>;
Counts counts(const Findings& findings) {
  Counts out;
  for (const Finding& f : findings) ++out[{f.rule, f.subject}][f.severity];
  return out;
}
int at_least(const std::map<model::Severity, int>& by, model::Severity least) {
  int n = 0;
  for (const auto& [severity, count] : by) n += severity >= least ? count : 0;
  return n;
}
int all_of(const std::map<model::Severity, int>& by) {
  return at_least(by, model::Severity::note);
}

// The law, as the documents have it: the finding is gone, and none of its severity or above came.
// Returns how many cures were tried.
int try_every_cure(const test::Files& files) {
  Checked before = checked(files);
  Findings with_cures = before.findings;
  files::try_cures(before.loaded, before.findings, files::memory_files(files), with_cures);
  const Counts was = counts(before.findings);
  int tried = 0;
  for (const Finding& f : with_cures) {
    for (const Fix& fix : f.fixes) {
      ++tried;
      INFO(to_string(f.rule) << " " << to_text(f.subject) << ": " << fix.title);
      CHECK_FALSE(fix.edits.empty());
      const Checked after = checked(applied(files, before.loaded, fix));
      Counts now = counts(after.findings);
      CHECK(all_of(now[{f.rule, f.subject}]) < all_of(was.at({f.rule, f.subject})));
      for (const auto& [key, by] : now) {
        for (const auto& [severity, ignored] : by) {
          if (severity < f.severity) continue;
          // one that became milder has not come
          const int count = at_least(by, severity);
          const auto old = was.find(key);
          const int had = old == was.end() ? 0 : at_least(old->second, severity);
          INFO("brought " << to_string(std::get<0>(key)) << " " << to_text(std::get<1>(key)));
          CHECK(count <= had);
        }
      }
    }
  }
  return tried;
}

std::string read_file(const std::string& name) {
  std::ifstream in(name, std::ios::binary);
  return {std::istreambuf_iterator<char>(in), {}};
}

// The files of the demo under the names they have there; `plan` becomes plan.toml.
test::Files demo(const std::string& plan) {
  test::Files files;
  const std::string folder = GREYMET_EXAMPLES;
  files["plan.toml"] = read_file(folder + "/" + plan);
  for (const char* map :
       {"burner", "climate", "compressor", "damper", "drive", "level", "level-draft", "meter",
        "moisture", "steam", "steep", "turner", "weather", "weighbridge", "cooler-typed"}) {
    files[fmt::format("maps/{}.csv", map)] = read_file(fmt::format("{}/maps/{}.csv", folder, map));
  }
  files["models/mid.toml"] = read_file(folder + "/models/mid.toml");
  for (const char* tags : {"tags/kiln.csv", "tags/loadout.csv"}) {
    files[tags] = read_file(fmt::format("{}/{}", folder, tags));
  }
  return files;
}

// One edit of plan.toml through text_edits().
std::string edited_plan(const std::string& plan, const std::string& at, Edit edit,
                        test::Files others = test::base_files(), std::uint32_t file = 0) {
  others["plan.toml"] = plan;
  const auto loaded = files::load_plan("plan.toml", files::memory_files(others));
  const std::string& text = loaded.sources[file].text;
  const std::size_t byte = text.find(at);
  REQUIRE(byte != std::string::npos);
  const auto line = 1 + static_cast<std::uint32_t>(std::count(
                            text.begin(), text.begin() + static_cast<std::ptrdiff_t>(byte), '\n'));
  const std::size_t begin =
      text.rfind('\n', byte) == std::string::npos ? 0 : text.rfind('\n', byte) + 1;
  edit.range = {file, line, static_cast<std::uint32_t>(byte - begin + 1), 0, 0};
  const auto edits = files::text_edits(loaded, {"", {edit}, true});
  if (!edits) return "none";
  return files::edited(text, *edits);
}

Edit keys(EditKind kind, std::vector<model::KeyText> list) {
  return {{}, {}, kind, std::move(list)};
}

const std::string listed = R"([exchange]
transactions = [
  { name = "a", slave = "x", read = { at = 1, count = 2 }, fc = 3 },  # one
  { name = "b" } ]
[[other.list]]
name   = "c"
period = "1s"   # slow
[line.north]
baud = 9600
)";

}  // namespace

TEST_CASE("keys are set where their table is written, in its way") {
  const auto set = [](const std::string& at, std::vector<model::KeyText> list) {
    return edited_plan(listed, at, keys(EditKind::set_keys, std::move(list)));
  };
  CHECK(set("\"a\"", {{"slave", "\"y\""}}) == test::replaced(listed, "\"x\"", "\"y\""));
  CHECK(set("\"a\"", {{"every", "\"1s\""}, {"fc", "4"}}) ==
        test::replaced(listed, "fc = 3 }", "fc = 4, every = \"1s\" }"));
  CHECK(set("1, count", {{"count", "9"}}) == test::replaced(listed, "count = 2", "count = 9"));
  CHECK(set("\"c\"", {{"period", "\"2s\""}}) == test::replaced(listed, "\"1s\"   #", "\"2s\"   #"));
  CHECK(set("\"c\"", {{"new", "7"}}) == test::replaced(listed, "# slow\n", "# slow\nnew    = 7\n"));
  CHECK(set("[line.north]", {{"baud", "19200"}}) == test::replaced(listed, "9600", "19200"));
  CHECK(set("9600", {{"timeout", "\"1s\""}}) ==
        test::replaced(listed, "baud = 9600", "baud = 9600\ntimeout = \"1s\""));
  CHECK(edited_plan("a = 1\n", "1", keys(EditKind::set_keys, {{"b", "2"}})) == "none");
  // line ends and a missing last one stay
  CHECK(edited_plan("[line.n]\r\nbaud = 1\r\n", "1", keys(EditKind::set_keys, {{"b", "2"}})) ==
        "[line.n]\r\nbaud = 1\r\nb    = 2\r\n");
  CHECK(edited_plan("[line.n]", "line", keys(EditKind::set_keys, {{"b", "2"}})) ==
        "[line.n]\nb = 2");
}

TEST_CASE("rows are copied and dropped with what belongs to them") {
  CHECK(
      edited_plan(listed, "\"a\"", keys(EditKind::copy_row, {{"name", "\"a-2\""}})) ==
      test::replaced(
          listed, "fc = 3 },",
          "fc = 3 },\n  { name = \"a-2\", slave = \"x\", read = { at = 1, count = 2 }, fc = 3 },"));
  CHECK(
      edited_plan(listed, "\"b\"", keys(EditKind::copy_row, {{"name", "\"d\""}, {"fc", "3"}})) ==
      test::replaced(listed, "{ name = \"b\" }", "{ name = \"b\" },\n  { name = \"d\", fc = 3 }"));
  CHECK(edited_plan(listed, "\"c\"", keys(EditKind::copy_row, {{"name", "\"d\""}})) ==
        test::replaced(listed, "# slow\n",
                       "# slow\n\n[[other.list]]\nname   = \"d\"\nperiod = \"1s\"   # slow\n"));
  CHECK(edited_plan(listed, "\"b\"", keys(EditKind::drop_row, {})) ==
        test::replaced(listed, "{ name = \"b\" } ]", " ]"));
  CHECK(edited_plan(listed, "\"c\"", keys(EditKind::drop_row, {})) ==
        test::replaced(listed, "[[other.list]]\nname   = \"c\"\nperiod = \"1s\"   # slow\n", ""));
  const std::string own_line = "x = [\n  { a = 1 },\n  { a = 2 },\n]\n";
  CHECK(edited_plan(own_line, "1 }", keys(EditKind::drop_row, {})) == "x = [\n  { a = 2 },\n]\n");
}

TEST_CASE("cells of tables are set by their column, without quotes of their own") {
  test::Files files = test::base_files();
  files["t.csv"] =
      "name;slave;fc;at;count;into;every\na;gauge;3;0;8;%MW0;1s\nb;gauge;3;9;1;%MW9;1s\n";
  const std::string plan =
      test::replaced(test::with_rows({}), "transactions = [\n]\n", "table = \"t.csv\"\n");
  files["plan.toml"] = plan;
  const auto loaded = files::load_plan("plan.toml", files::memory_files(files));
  const auto file =
      static_cast<std::uint32_t>(std::find_if(loaded.sources.begin(), loaded.sources.end(),
                                              [](const auto& s) { return s.name == "t.csv"; }) -
                                 loaded.sources.begin());
  const auto change = [&](EditKind kind, std::vector<model::KeyText> list) {
    return edited_plan(plan, "a;gauge", keys(kind, std::move(list)), files, file);
  };
  CHECK(change(EditKind::set_keys, {{"every", "\"2s\""}, {"count", "4"}}) ==
        test::replaced(files["t.csv"], "a;gauge;3;0;8;%MW0;1s", "a;gauge;3;0;4;%MW0;2s"));
  CHECK(change(EditKind::set_keys, {{"phase", "\"2s\""}}) == "none");  // no such column
  CHECK(change(EditKind::set_keys, {{"slave", "\"x;y\""}}) ==
        test::replaced(files["t.csv"], "a;gauge", "a;\"x;y\""));
  CHECK(change(EditKind::copy_row, {{"name", "\"c\""}}) ==
        test::replaced(files["t.csv"], "%MW0;1s\n", "%MW0;1s\nc;gauge;3;0;8;%MW0;1s\n"));
  CHECK(change(EditKind::drop_row, {}) ==
        test::replaced(files["t.csv"], "a;gauge;3;0;8;%MW0;1s\n", ""));
}

TEST_CASE("every cure keeps the law: on the draft, on slips, on plans with one mistake each") {
  CHECK(try_every_cure(demo("draft.toml")) >= 20);
  CHECK(try_every_cure(demo("slips.toml")) >= 9);
  CHECK(try_every_cure(demo("maltings.toml")) == 0);
}

TEST_CASE("every cure keeps the law where the two ends disagree") {
  const std::vector<std::array<std::string, 3>> slips{
      {"plan.toml", "into = \"%MW201\"", "into = \"%MW202\""},
      {"plan.toml", "count = 21, into", "count = 20, into"},
      {"plan.toml", "from = \"%MW100\", to", "from = \"%MW102\", to"},
      {"plan.toml", "from = \"%MW1050\"", "from = \"%MW1052\""},
      {"plan.toml", "at = \"%MW1\",  count", "at = \"%MW2\",  count"},
      {"plan.toml", "on_loss = \"hold\", swap = \"ABCD\" }", "on_loss = \"hold\" }"},
      {"tags/kiln.csv", "%MW205,INT", "%MW205,REAL"},
      {"tags/kiln.csv", "%MW206,INT", "%MW206,UINT"},
      {"tags/kiln.csv", "%MW102,REAL,CDAB", "%MW102,REAL,BADC"},
      {"tags/kiln.csv", "%MW230,UINT", "%MW238,UINT"},
      {"tags/kiln.csv", "%MW231,UINT", "%MW231,UNT"},
      {"tags/loadout.csv", "moisture.grain_moisture", "moisture.grain_moistre"},
  };
  int tried = 0;
  for (const auto& [file, what, with] : slips) {
    INFO(file << ": " << what << " -> " << with);
    test::Files files = demo("maltings.toml");
    files.at(file) = test::replaced(files.at(file), what, with);
    const int cures = try_every_cure(files);
    CHECK(cures >= 1);
    tried += cures;
  }
  CHECK(tried >= 12);
}

TEST_CASE("every cure keeps the law on plans that were spoilt at random") {
  const std::string good = demo("maltings.toml").at("plan.toml");
  std::vector<std::size_t> digits;
  std::vector<std::size_t> letters;
  for (std::size_t i = good.find("[line.north]"); i < good.size(); ++i) {
    if (std::isdigit(static_cast<unsigned char>(good[i])) != 0) digits.push_back(i);
    if (std::isalpha(static_cast<unsigned char>(good[i])) != 0) letters.push_back(i);
  }
  std::mt19937 random(12);
  int tried = 0;
  for (int i = 0; i < 40; ++i) {
    test::Files files = demo("maltings.toml");
    std::string& plan = files.at("plan.toml");
    if (i % 2 == 0) {
      plan[digits[random() % digits.size()]] = static_cast<char>('0' + random() % 10);
    } else {
      plan.erase(letters[random() % letters.size()], 1);
    }
    INFO(i);
    tried += try_every_cure(files);
  }
  CHECK(tried >= 10);
}

TEST_CASE("certain cures are carried out until nothing changes, and nothing else is touched") {
  test::Files files = demo("slips.toml");
  const auto cures = [&](bool offers, const std::string& rules = "") {
    checks::RuleSelection selection;
    if (!rules.empty()) selection = *checks::parse_rule_selection(rules);
    return files::carry_out_cures("plan.toml", files::memory_files(files), selection, offers);
  };
  const files::Cures certain = cures(false);
  CHECK(certain.done.size() > 25);
  CHECK(certain.passes <= 10);
  CHECK(checks::tally_of(certain.findings).errors == 0);
  CHECK(certain.files.size() == 2);
  REQUIRE(certain.left.size() == 1);
  CHECK(certain.left[0].finding.rule == model::RuleCode::R05);
  const files::Cures offers = cures(true);
  CHECK(checks::tally_of(offers.findings).warnings == 0);
  // all other bytes stay: every line that is not in the diff is the same
  for (const files::ChangedFile& file : offers.files) {
    std::istringstream before(*file.before);
    std::istringstream after(file.after);
    std::string a;
    std::string b;
    std::size_t same = 0;
    while (std::getline(before, a) && std::getline(after, b)) same += a == b ? 1U : 0U;
    if (file.name == "plan.toml") CHECK(same > 20);
    CHECK(std::count(file.before->begin(), file.before->end(), '\n') ==
          std::count(file.after.begin(), file.after.end(), '\n'));
  }
  // what was cured stays cured, and a second run finds nothing more to do
  for (const files::ChangedFile& file : offers.files) files[file.name] = file.after;
  CHECK(cures(true).files.empty());
  // other rules are left alone
  files = demo("slips.toml");
  const files::Cures some = cures(false, "P02");
  CHECK(std::all_of(some.done.begin(), some.done.end(), [](const files::CuredFinding& d) {
    return d.finding.rule == model::RuleCode::P02;
  }));
}

TEST_CASE("marks of order, line ends and a missing last one survive every cure") {
  for (const bool crlf : {false, true}) {
    for (const bool bom : {false, true}) {
      for (const bool last : {false, true}) {
        test::Files files = demo("slips.toml");
        for (auto& [name, text] : files) {
          if (!last) text.pop_back();
          if (crlf) {
            std::string other;
            for (const char c : text) other += c == '\n' ? "\r\n" : std::string(1, c);
            text = other;
          }
          if (bom) text = "\xEF\xBB\xBF" + text;
        }
        const auto cures =
            files::carry_out_cures("plan.toml", files::memory_files(files), {}, true);
        INFO(crlf << bom << last);
        CHECK(cures.files.size() == 2);
        for (const files::ChangedFile& file : cures.files) {
          CHECK(file.after.starts_with("\xEF\xBB\xBF") == bom);
          CHECK(file.after.ends_with('\n') == last);
          CHECK(std::count(file.after.begin(), file.after.end(), '\r') ==
                std::count(file.before->begin(), file.before->end(), '\r'));
        }
        CHECK(checks::tally_of(cures.findings).errors == 0);
      }
    }
  }
}

TEST_CASE("what TOML does not read is written as it wants it") {
  const auto cured = [](const std::string& line) {
    const std::string table = "[controller.c]\n";
    const auto cures = files::carry_out_cures(
        "plan.toml", files::memory_files({{"plan.toml", table + line + "\n"}}),
        *checks::parse_rule_selection("P"), false);
    return cures.files.empty() ? std::string("-")
                               : cures.files[0].after.substr(
                                     table.size(), cures.files[0].after.size() - table.size() - 1);
  };
  CHECK(cured("scan = 10ms") == "scan = \"10ms\"");
  CHECK(cured("scan = \xE2\x80\x9C"
              "10ms\xE2\x80\x9D  # plain") == "scan = \"10ms\"  # plain");
  CHECK(cured("scan =\xC2\xA0\"10ms\"") == "scan = \"10ms\"");
  CHECK(cured("scan = 10ms ms") == "-");
  CHECK(cured("scan = ten") == "-");
  CHECK(cured("address = \"a\\q\"") == "-");
  // one key of a row
  CHECK(cured("answers = [ { port = 502, timeout = 500ms } ]") ==
        "answers = [ { port = 502, timeout = \"500ms\" } ]");
  // a path, where the file is there
  const auto cures = files::carry_out_cures(
      "plan.toml",
      files::memory_files({{"plan.toml", "[controller.c]\nmodel = \"m\\x.toml\"\n"},
                           {"m/x.toml", "series = \"A\"\n"}}),
      *checks::parse_rule_selection("P"), false);
  REQUIRE(cures.files.size() == 1);
  CHECK(cures.files[0].after == "[controller.c]\nmodel = \"m/x.toml\"\n");
}

TEST_CASE("what lies outside the plan's folder is not touched") {
  const std::string plan = test::replaced(
      test::nothing_unused(test::with_rows(
          {R"({ name = "t", slave = "gauge", fc = 3, at = 0, count = 2, into = "%MW0", every = "1s", on_loss = "hold" })"})),
      "\"gauge.csv\"", "\"../gauge.csv\"");
  test::Files files{{"plan.toml", plan},
                    {"../gauge.csv", "point,area,address,type\nm,hr,0,REAL\n"}};
  const auto cures = files::carry_out_cures("plan.toml", files::memory_files(files), {}, true);
  CHECK(cures.files.empty());
  CHECK(cures.done.empty());
}

TEST_CASE("changes as a unified diff") {
  CHECK(files::unified_diff("a", "1\n2\n3\n", "1\n2\n3\n").empty());
  CHECK(files::unified_diff("plan.toml", "1\n2\n3\n4\n5\n6\n7\n8\n9\n",
                            "1\n2\n3\n4\nfive\n6\n7\n8\n9\n") ==
        "--- plan.toml\n+++ plan.toml\n@@ -2,8 +2,8 @@\n 2\n 3\n 4\n-5\n+five\n 6\n 7\n 8\n 9\n");
}
