// The pages for handover: what must stand in them, and what must not.
#include "exports/report.h"
#include "tables/timing_tables.h"

#include <fmt/format.h>
#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include "engine/rehearsal.h"
#include "engine/world.h"
#include "exported.h"
#include "model/duration_text.h"
#include "plans.h"

using namespace greymet;

namespace {

// The plan with its whole timing, and pages of it.
struct Pages {
  explicit Pages(files::LoadedPlan of) : exported(std::move(of)) {
    exported.timing = timing::analyse(exported.loaded.plan, {});
  }
  [[nodiscard]] std::pair<std::string, std::string> make(
      const std::optional<exports::Measured>& measured = {},
      const std::vector<exports::ReportFigure>& figures = {}) const {
    const exports::ExportInput input = exported.input();
    const exports::ReportInput pages{input, "plan.toml", figures, {}, measured};
    return {exports::report_page(pages), exports::commissioning_page(pages)};
  }
  test::Exported exported;
};

// What is wrong with the nesting of elements; empty where nothing is.
std::string unbalanced(const std::string& page) {
  std::vector<std::string> open;
  for (std::size_t at = page.find('<'); at != std::string::npos; at = page.find('<', at + 1)) {
    const std::size_t end = page.find('>', at);
    if (end == std::string::npos) return "a tag without an end";
    std::string tag = page.substr(at + 1, end - at - 1);
    if (tag.starts_with('!') || tag.ends_with('/')) continue;
    const bool closes = tag.starts_with('/');
    tag = tag.substr(closes ? 1 : 0,
                     tag.find(' ') - (closes && tag.find(' ') != std::string::npos ? 1 : 0));
    if (tag == "meta" || tag == "br" || tag == "img") continue;
    if (!closes) {
      open.push_back(tag);
    } else if (open.empty() || open.back() != tag) {
      return tag + " closes " + (open.empty() ? "nothing" : open.back());
    } else {
      open.pop_back();
    }
  }
  return open.empty() ? "" : open.back() + " stays open";
}

std::size_t count_of(const std::string& text, const std::string& what) {
  std::size_t count = 0;
  for (std::size_t at = text.find(what); at != std::string::npos; at = text.find(what, at + 1))
    ++count;
  return count;
}

}  // namespace

TEST_CASE("both pages of the demo hold everything of the plan, and nothing from elsewhere") {
  const Pages demo(files::load_plan(GREYMET_EXAMPLES "/maltings.toml", files::disk_files()));
  const auto [report, sheet] = demo.make({}, {{exports::FigurePlace::memory, "a map", "<svg/>"}});
  const auto& plan = demo.exported.loaded.plan;
  for (const std::string* page : {&report, &sheet}) {
    CHECK(unbalanced(*page) == "");
    CHECK(page->find(demo.exported.input().fingerprint) != std::string::npos);
    CHECK(page->find("Thornby Maltings: kiln exchange") != std::string::npos);
    CHECK(page->find("revision B") != std::string::npos);
    // self-contained: no address of a network, no script, no file
    for (const char* foreign :
         {"http:", "https:", "<script", "<link", "url(", "@import", "src=\"/"}) {
      INFO(foreign);
      CHECK(page->find(foreign) == std::string::npos);
    }
    CHECK(count_of(*page, "src=") == count_of(*page, "src=\"data:image/svg+xml;base64,"));
    for (const auto& slave : plan.plan.slaves) CHECK(page->find(slave.name) != std::string::npos);
    for (const auto& t : plan.exchange.transactions) CHECK(page->find(t.name) != std::string::npos);
    for (const auto& h : plan.exchange.heartbeats) CHECK(page->find(h.name) != std::string::npos);
  }
  CHECK(report.find("src=\"data:image/svg+xml;base64,PHN2Zy8+\"") != std::string::npos);
  // verdicts first
  CHECK(report.find("class=\"cards\"") < report.find("<h2"));
  // accepted findings with their reasons, and what was not judged
  CHECK(report.find("the kiln can stand it") != std::string::npos);
  CHECK(report.find("no model") != std::string::npos);
  // the drawing has each slave once
  const std::string drawing =
      report.substr(report.find("<svg"), report.find("</svg>") - report.find("<svg"));
  for (const auto& slave : plan.plan.slaves) {
    INFO(slave.name);
    CHECK(count_of(drawing, ">" + slave.name + "<") == 1);
  }
  // every row of timing
  for (const auto& line : demo.exported.timing.lines) {
    for (const auto& t : line.transactions) {
      if (!t.response_bound) continue;
      const std::string ms = model::in_ms(*t.response_bound);
      CHECK(report.find("<td class=\"n\">" + ms.substr(0, ms.size() - 3) + "</td>") !=
            std::string::npos);
    }
  }
}

TEST_CASE("the commissioning sheet is in the order of the work, with the words to change") {
  const Pages demo(files::load_plan(GREYMET_EXAMPLES "/maltings.toml", files::disk_files()));
  const std::string sheet = demo.make().second;
  std::size_t last = 0;
  for (const char* step : {"1. Before power", "2. Set on each slave", "3. Set on each controller",
                           "4. Download", "5. Restart", "6. Change the first", "7. Hold values",
                           "8. Unplug", "9. Heartbeats", "10. Done"}) {
    const std::size_t at = sheet.find(step);
    INFO(step);
    REQUIRE(at != std::string::npos);
    CHECK(at > last);
    last = at;
  }
  // unit 12 is 8 + 4
  CHECK(sheet.find("<td>12<br><span class=\"soft\">0000&nbsp;1100</span></td>") !=
        std::string::npos);
  // the timeout that the kiln's line is given
  CHECK(sheet.find("none; 247 is free") != std::string::npos);
  // burner-in: function 4, 21 registers from 0 into %MW201: its last is 300021 and %MW221
  CHECK(sheet.find("burner ir:0 (0x0000) … ir:20 (0x0014)</td><td>kiln %MW201 … %MW221") !=
        std::string::npos);
  // a write goes the other way
  CHECK(sheet.find("kiln %MW1010 … %MW1015</td><td>burner hr:4096 (0x1000) … hr:4101 (0x1005)") !=
        std::string::npos);
  // bits packed into words
  CHECK(sheet.find("kiln %MW640.0 … %MW640.7") != std::string::npos);
  // a single register has no last word
  CHECK(sheet.find("kiln %MW1021</td><td>burner hr:4113 (0x1011)</td>") != std::string::npos);
}

TEST_CASE("the commissioning sheet marks numbers that rest on what nobody stated") {
  const auto sheet_of = [](const std::string& line, const std::string& reply) {
    std::string plan =
        test::with_rows({"{ name = \"a\", slave = \"gauge\", fc = 3, at = 0, count = 2, into = "
                         "\"%MW0\", every = \"1s\", on_loss = \"hold\" }"});
    plan = test::replaced(plan, "format = \"8E1\"\n", "format = \"8E1\"\n" + line);
    plan = test::replaced(plan, "reply = { typical = \"5ms\", max = \"20ms\" }\n", reply);
    Pages pages(test::load(plan, test::base_files()));
    return pages.make().second;
  };
  const std::string reply = "reply = { typical = \"5ms\", max = \"20ms\" }\n";
  const std::string open = sheet_of("", reply);
  CHECK(open.find(" *</td>") != std::string::npos);
  CHECK(open.find("<p class=\"soft\">* rests on defaults, as the plan does not state: timeout, "
                  "retries of gauge</p>") != std::string::npos);
  const std::string stated = sheet_of("timeout = \"300ms\"\nretries = 1\n", reply);
  CHECK(stated.find("rests on defaults") == std::string::npos);
  CHECK(stated.find(" *</td>") == std::string::npos);
}

TEST_CASE("names that would be HTML are text") {
  const std::string name = "<script>alert(1)</script> & \\\"'";
  Pages pages(
      test::load(test::replaced(test::base_plan(), "[slave.gauge]", "[slave.\"" + name + "\"]") +
                     "[exchange]\ntransactions = [ { name = \"<b>x\", slave = \"" + name +
                     "\", fc = 3, at = 0, count = 2, into = \"%MW0\", every = \"1s\", on_loss = "
                     "\"alarm\" } ]\n",
                 test::base_files()));
  const auto [report, sheet] = pages.make();
  for (const std::string* page : {&report, &sheet}) {
    CHECK(unbalanced(*page) == "");
    CHECK(page->find("<script") == std::string::npos);
    CHECK(page->find("&lt;b&gt;x") != std::string::npos);
    CHECK(page->find("&lt;script&gt;alert(1)&lt;/script&gt; &amp; &quot;&#39;") !=
          std::string::npos);
  }
}

TEST_CASE("measured results stand beside the plan's, and those of another exchange are told") {
  const Pages pages(test::load(
      test::with_rows({"{ name = \"in\", slave = \"gauge\", fc = 3, at = 0, count = 2, into = "
                       "\"%MW0\", every = \"1s\", on_loss = \"alarm\" }"}),
      test::base_files()));
  const std::string good = fmt::format(
      R"({{"fingerprint":"{}","verdict":"passed","transactions":[{{"name":"in","sent":31,"response_median_ms":12.5,"predicted_ms":12.25,"verdict":"good"}}],"faults":[{{"slave":"gauge","fault":"silent","noticed_ms":400.5}}]}})",
      pages.exported.input().fingerprint);
  const std::string report = pages.make(exports::Measured{"out/rehearse.json", good}).first;
  CHECK(report.find("the run ended: passed") != std::string::npos);
  CHECK(report.find("<td class=\"n\">12.5</td><td class=\"n\">12.25</td>") != std::string::npos);
  CHECK(report.find("<td class=\"n\">400.5</td>") != std::string::npos);
  CHECK(report.find("another exchange") == std::string::npos);
  std::string other = good;
  other.replace(other.find("sha256:") + 7, 1, "x");
  CHECK(pages.make(exports::Measured{"r.json", other}).first.find("Measured on another exchange") !=
        std::string::npos);
  for (const std::string bad : {"", "[]", "{\"transactions\":3}",
                                "{\"transactions\":[3,{\"name\":4}],\"verdict\":5}", "\xff"}) {
    const std::string page = pages.make(exports::Measured{"<bad>.json", bad}).first;
    CHECK(unbalanced(page) == "");
    if (!bad.starts_with("{\"transactions\":[")) {
      CHECK(page.find("&lt;bad&gt;.json is no result of rehearse or run") != std::string::npos);
    }
  }
}

TEST_CASE("the sheet has two values of each block that is read, those with a unit first") {
  const std::string row =
      "{ name = \"in\", slave = \"gauge\", fc = 3, at = 0, count = 8, into = \"%MW100\", every = "
      "\"1s\", on_loss = \"hold\" }";
  test::Files files = test::base_files();
  files["gauge.csv"] =
      "point,area,address,type,unit,access\nstate,hr,0,u16,,r\nline.mode,hr,1,u16,,r\n"
      "level,hr,2,u16,m,r\nflow,hr,3,u16,l/s,r\ntemp,hr,4,u16,degC,r\n";
  const std::string out =
      "{ name = \"out\", slave = \"pump\", fc = 16, at = 0, count = 1, from = \"%MW200\", every = "
      "\"1s\" }";
  files["pump.csv"] = "point,area,address,type,unit\nspeed,hr,0,u16,rpm\n";
  const Pages pages(test::load(test::with_rows({row, out}), files));
  const std::string sheet = pages.make().second;
  const auto value = [](const std::string& name, const std::string& unit) {
    return fmt::format("<td>gauge</td><td>{}</td><td>{}</td>", name, unit);
  };
  CHECK(sheet.find(value("level", "m")) < sheet.find(value("flow", "l/s")));
  CHECK(sheet.find(value("flow", "l/s")) != std::string::npos);
  CHECK(sheet.find(">temp<") == std::string::npos);
  CHECK(sheet.find(">speed<") == std::string::npos);  // what is written has no display to compare
  CHECK(sheet.find(">line.mode<") == std::string::npos);
}

TEST_CASE("no slave of the demo that falls silent is noticed later than the sheet says") {
  const Pages demo(files::load_plan(GREYMET_EXAMPLES "/maltings.toml", files::disk_files()));
  const auto& plan = demo.exported.loaded.plan;
  // one slave after the other, at a moment of no kind, for long enough to be noticed
  for (const bool longest : {false, true}) {
    std::vector<engine::Fault> faults;
    std::vector<model::Duration> bounds;
    model::Duration at = std::chrono::milliseconds(700);
#ifdef GREYMET_SANITIZED
    const std::size_t step = 4;  // all of them take long there
#else
    const std::size_t step = 1;
#endif
    for (std::size_t s = 0; s < plan.plan.slaves.size(); s += step) {
      const auto bound = tables::noticed_at_the_latest(demo.exported.input().plan,
                                                       demo.exported.input().timing, {false, s, 0});
      REQUIRE(bound.has_value());
      engine::Fault fault;
      fault.kind = engine::FaultKind::silent;
      fault.index = s;
      fault.at = at;
      fault.until = at + *bound + std::chrono::seconds(1);
      faults.push_back(fault);
      bounds.push_back(*bound);
      at = fault.until + std::chrono::milliseconds(16'037);
    }
    engine::WorldOptions world_options;
    world_options.durations = longest ? timing::Durations::longest : timing::Durations::typical;
    engine::World world(plan, demo.exported.timing.model, world_options);
    engine::RehearsalOptions options;
    options.script = faults;
    options.durations = world_options.durations;
    options.quiet = std::chrono::seconds(1);
    options.blocks = options.heartbeats = false;
    const auto result = engine::rehearse(plan, demo.exported.timing, world, options, {});
    REQUIRE(result.faults.size() == faults.size());
    for (std::size_t i = 0; i < faults.size(); ++i) {
      INFO(plan.plan.slaves[result.faults[i].fault.index].name);
      REQUIRE(result.faults[i].noticed.has_value());
      CHECK(*result.faults[i].noticed <= bounds[i]);
    }
  }
}

TEST_CASE("the sheet says what to type where a controller's tool has a way of its own") {
  const auto sheet_with = [](const std::string& keys) {
    const std::string row =
        R"({ name = "in", slave = "gauge", fc = 3, at = 10, count = 2, into = "%MW0", every = "250ms", on_loss = "hold" })";
    return Pages(test::load(test::replaced(test::with_rows({row}), "[controller.kiln]\n",
                                           "[controller.kiln]\n" + keys),
                            test::base_files()))
        .make()
        .second;
  };
  CHECK(sheet_with("").find("type this") == std::string::npos);
  const std::string typed = sheet_with("tool_counts = \"reference\"\ntool_times = \"10ms\"\n");
  CHECK(typed.find("<th>type this</th>") != std::string::npos);
  CHECK(typed.find("<td>40011, 2 of them, every 25</td>") != std::string::npos);
}
