// What is shown of a run while it goes on: never more than the screen holds, whatever is pressed.
#include "terminal/live_view.h"

#include <fcntl.h>
#include <pty.h>
#include <sys/wait.h>
#include <termios.h>
#include <unistd.h>
#include <utmp.h>

#include <sstream>

#include <fmt/format.h>
#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include "plain_modbus.h"
#include "plans.h"
#include "process.h"

using namespace greymet;
using namespace greymet::cli;
using engine::MeasuredTransaction;
using engine::MeasuredVerdict;

namespace {

// A plan of that many reads of 8 words, some of which a map names.
std::string many_reads(std::size_t count) {
  std::vector<std::string> rows;
  for (std::size_t i = 0; i < count; ++i) {
    rows.push_back(fmt::format(
        R"({{ name = "{}{}", slave = "{}", fc = 3, at = 0, count = 8, into = "%MW{}", every = "1s" }})",
        i % 2 == 0 ? "kiln" : "silo", i, i % 2 == 0 ? "gauge" : "pump", i * 8));
  }
  return test::with_rows(rows);
}
constexpr const char* view_map =
    "point,area,address,type,unit\nlevel,hr,0,u16,m\ntemp,hr,2,f32,\xC2\xB0"
    "C\n";

struct View {
  explicit View(std::size_t count, const char* map = view_map)
      : loaded(test::load(many_reads(count), {{"gauge.csv", map}, {"pump.csv", map}})),
        report(timing::analyse_longest(loaded.plan)),
        watch(loaded.plan, report, {}, {}),
        history(loaded.plan),
        view(loaded.plan, report) {
    for (std::size_t i = 0; i < loaded.plan.transactions.size(); ++i) {
      MeasuredTransaction t;
      t.transaction = i;
      t.name = loaded.plan.transaction_name(i);
      t.verdict = MeasuredVerdict::good;
      transactions.push_back(t);
    }
  }
  void brings(std::size_t transaction, model::Duration at, std::vector<std::uint16_t> words) {
    engine::RequestRecord record;
    record.transaction = transaction;
    record.end = at;
    record.as_of = at;
    record.tries = 1;
    record.words = std::move(words);
    watch.add(record);
  }
  std::string shown_at(model::Duration now, ScreenSize size) {
    std::ostringstream out;
    const Terminal terminal = plain_terminal(out, out, size.columns);
    return view.text({loaded.plan, watch, transactions, history, lines, now, true}, size, terminal);
  }
  files::LoadedPlan loaded;
  timing::TimingReport report;
  engine::RunWatch watch;
  ValueHistory history;
  LiveView view;
  std::vector<MeasuredTransaction> transactions;
  std::deque<std::string> lines;
};

std::vector<std::string> screen_lines(const std::string& text) {
  std::vector<std::string> out(1);
  for (const char c : text) {
    if (c == '\n') {
      out.emplace_back();
    } else {
      out.back() += c;
    }
  }
  return out;
}

// Names of the transactions in the table, and which is chosen.
struct ShownTable {
  std::vector<std::string> names;
  std::optional<std::string> chosen;
};
ShownTable table_in(const std::vector<std::string>& lines) {
  ShownTable out;
  for (const std::string& line : lines) {
    const std::string name = line.size() > 2 ? line.substr(2, line.find(' ', 2) - 2) : "";
    const bool is_row = (name.starts_with("kiln") || name.starts_with("silo")) &&
                        (line[0] == '>' || line[0] == ' ') && line[1] == ' ';
    if (!is_row) continue;
    out.names.push_back(name);
    if (line[0] == '>') out.chosen = name;
  }
  return out;
}

}  // namespace

TEST_CASE("a view never has more lines than the screen, and shows the one that is chosen") {
  rc::prop("view", [] {
    View shown(*rc::gen::inRange<std::size_t>(1, 40));
    for (auto& t : shown.transactions) {
      t.verdict = *rc::gen::element(MeasuredVerdict::good, MeasuredVerdict::dead,
                                    MeasuredVerdict::late, MeasuredVerdict::not_run);
    }
    const auto lines = *rc::gen::inRange<std::size_t>(0, 9);
    for (std::size_t i = 0; i < lines; ++i) shown.lines.push_back("a line");
    const int steps = *rc::gen::inRange(1, 12);
    std::optional<std::string> before;
    for (int i = 0; i < steps; ++i) {
      const auto words = *rc::gen::inRange<std::size_t>(0, shown.transactions.size());
      shown.brings(words, std::chrono::seconds(i + 1), {1, 2, 3, 4, 5, 6, 7, 8});
      shown.history.look(std::chrono::seconds(i + 1), shown.watch);
      const std::string key = *rc::gen::element<std::string>(
          "\x1b[A", "\x1b[B", "\x1bOB", "\x1b[5~", "\x1b[6~", "\x1b[H", "\x1b[F", "\t", "o", "/",
          "k", "7", "\r", "\x7f", "\x1b", "x", "\x1b[1;5C");
      RC_ASSERT_FALSE(shown.view.press(key));
      const ScreenSize size{*rc::gen::inRange<std::size_t>(6, 60),
                            *rc::gen::inRange<std::size_t>(40, 200)};
      const auto text = screen_lines(shown.shown_at(std::chrono::seconds(i + 1), size));
      RC_ASSERT(text.size() <= size.rows);
      const ShownTable table = table_in(text);
      const bool none = text[0].find("; 0 of ") != std::string::npos;
      if (none) {
        RC_ASSERT(table.names.empty());
      } else {
        RC_ASSERT_FALSE(table.names.empty());
        RC_ASSERT(table.chosen.has_value() || text[0].find(" with /") != std::string::npos);
      }
    }
  });
}

TEST_CASE("keys choose, filter and order what is shown") {
  View shown(30);
  const ScreenSize size{24, 80};
  const auto table = [&] {
    return table_in(screen_lines(shown.shown_at(std::chrono::seconds(1), size)));
  };
  CHECK(table().chosen == "kiln0");
  shown.transactions[7].verdict = MeasuredVerdict::dead;
  CHECK(table().chosen == "silo7");  // the gravest, until somebody chooses
  CHECK(table().names.front() == "silo7");
  shown.view.press("\x1b[B");
  CHECK(table().chosen == "kiln0");
  shown.view.press("\x1b[F");
  CHECK(table().chosen == "silo29");
  CHECK(table().names.back() == "silo29");
  shown.view.press("\x1b[A\x1b[A");
  CHECK(table().chosen == "silo27");
  shown.transactions[27].verdict = MeasuredVerdict::late;  // it goes up, and stays chosen
  CHECK(table().chosen == "silo27");
  CHECK(table().names.front() == "silo27");
  shown.view.press("o");
  CHECK(table().names.front() != "silo7");
  shown.view.press("\x1b[H");
  CHECK(table().names.front() == "kiln0");
  for (const char c : std::string("/GAUG")) shown.view.press(std::string(1, c));
  CHECK(table().names.size() > 5);
  for (const std::string& name : table().names) CHECK(name.starts_with("kiln"));
  shown.view.press(
      "\x7f\x7f\x7f\x7f"
      "silo1\r");
  CHECK(table().names ==
        std::vector<std::string>{"silo1", "silo11", "silo13", "silo15", "silo17", "silo19"});
  shown.view.press("\x1b");
  CHECK(table().names.front() == "kiln0");
  CHECK(shown.view.press("q"));
}

TEST_CASE("values of the chosen one are points of its map, and words where nobody names them") {
  View shown(2);
  const auto order =
      shown.loaded.plan
          .order_of(0, shown.loaded.plan.map_of(model::Target{false, 0, 0})->points()[1])
          .value_or(model::WordOrder::abcd);
  const auto temp = *modbus::encode_value(modbus::RawValue(12.5), {model::TypeKind::f32, 0}, order);
  for (int s = 1; s <= 5; ++s) {
    if (s == 3) continue;  // no answer
    shown.brings(0, std::chrono::seconds(s),
                 {static_cast<std::uint16_t>(10 * s), 0xFFFE, temp[0], temp[1], 0x4B4D, 0, 0, 0});
    shown.history.look(std::chrono::seconds(s), shown.watch);
  }
  const std::string text = shown.shown_at(std::chrono::seconds(6), {40, 80});
  INFO(text);
  CHECK(text.find("kiln0 reads gauge on north, 1.0 s ago\n") != std::string::npos);
  CHECK(text.find("level                                50 m") != std::string::npos);
  CHECK(text.find("temp                               12.5 \xC2\xB0"
                  "C") != std::string::npos);
  CHECK(text.find("hr:1                              65534         FFFE     -2 '..'") !=
        std::string::npos);
  CHECK(text.find("4B4D  19277 'KM'") != std::string::npos);
  CHECK(text.find("last minute of level: 10 to 50\n") != std::string::npos);
}

TEST_CASE("where there is room each value shows its register, as its manual prints it too") {
  View shown(1, "point,area,address,type,unit\nlevel,hr,0x0000,u16,m\ntemp,hr,2,f32,\n");
  shown.brings(0, std::chrono::seconds(1), {1, 2, 3, 4, 5, 6, 7, 8});
  const std::string wide = shown.shown_at(std::chrono::seconds(2), {40, 120});
  INFO(wide);
  CHECK(wide.find("hr:0 (0x0000)\n") != std::string::npos);
  CHECK(wide.find("hr:2\n") != std::string::npos);
  const std::string narrow = shown.shown_at(std::chrono::seconds(2), {40, 80});
  CHECK(narrow.find("(0x0000)") == std::string::npos);
}

TEST_CASE("a minute is a bar a second, a gap where nothing came") {
  using Samples = std::deque<std::optional<double>>;
  CHECK(sparkline({}, true).empty());
  CHECK(sparkline(Samples{0, 3.5, std::nullopt, 7}, true) == "\u2581\u2585 \u2588");
  CHECK(sparkline(Samples{5, 5}, false) == "55");
  CHECK(sparkline(Samples{-1, 1}, false) == "18");
  View shown(1);
  for (int s = 1; s <= 100; ++s) {
    if (s != 50)
      shown.brings(0, std::chrono::seconds(s),
                   {static_cast<std::uint16_t>(s), 0, 0, 0, 0, 0, 0, 0});
    shown.history.look(std::chrono::seconds(s), shown.watch);
  }
  const auto* samples = shown.history.of(0, 0);
  REQUIRE(samples != nullptr);
  CHECK(samples->size() == ValueHistory::most);
  CHECK(samples->front() == 41.0);
  CHECK_FALSE((*samples)[9]);
  CHECK(samples->back() == 100.0);
}

TEST_CASE("q ends a run, and the terminal is as it was, keys unseen and the screen resized") {
  test::PlainSlave slave(false);
  const test::TemporaryFolder site;
  site.write("plan.toml", R"([controller.kiln]
scan = "10ms"
[controller.kiln.memory]
"%MW" = { kind = "word", count = 100 }
[slave.fan]
host = "10.20.0.31"
timeout = "3s"
[exchange]
transactions = [
  { name = "fan-in", slave = "fan", fc = 3, at = 0, count = 4, into = "%MW0", every = "100ms" },
  { name = "air-in", slave = "fan", fc = 3, at = 8, count = 4, into = "%MW8", every = "100ms" },
]
)");
  site.write("at.json", fmt::format(R"({{"tcp": {{"10.20.0.31:502": "{}"}}}})", slave.where()));
  int terminal = -1;
  int ours = -1;
  winsize size{24, 80, 0, 0};
  REQUIRE(::openpty(&terminal, &ours, nullptr, nullptr, &size) == 0);
  termios before{};
  REQUIRE(::tcgetattr(ours, &before) == 0);
  const pid_t child = ::fork();
  REQUIRE(child >= 0);
  if (child == 0) {
    ::close(terminal);
    if (::login_tty(::dup(ours)) != 0 || ::chdir(site.path().c_str()) != 0) ::_exit(9);
    ::execl(GREYMET_PROGRAM, "greymet", "run", "plan.toml", "--endpoints", "at.json", "-o", "out",
            "--tolerate", "100%", static_cast<char*>(nullptr));
    ::_exit(9);
  }
  ::fcntl(terminal, F_SETFL, O_NONBLOCK);
  std::string screen;
  const auto wait_for = [&](const std::string& text) {
    for (int i = 0; i < 1000; ++i) {
      std::array<char, 8192> buffer{};
      for (ssize_t got = 0; (got = ::read(terminal, buffer.data(), buffer.size())) > 0;) {
        screen.append(buffer.data(), static_cast<std::size_t>(got));
      }
      if (screen.find(text) != std::string::npos) return true;
      ::usleep(10'000);
    }
    return false;
  };
  const auto press = [&](const std::string& keys) {
    return ::write(terminal, keys.data(), keys.size()) == static_cast<ssize_t>(keys.size());
  };
  REQUIRE(wait_for("q ends"));
  CHECK(screen.find("bound") == std::string::npos);  // 80 columns
  REQUIRE(press("/air\r"));
  CHECK(wait_for("1 of 2 with /air"));
  winsize wider{40, 120, 0, 0};
  REQUIRE(::ioctl(terminal, TIOCSWINSZ, &wider) == 0);
  CHECK(wait_for("bound"));
  REQUIRE(press("q"));
  CHECK(wait_for("\x1b[?1049l"));
  int status = -1;
  for (int i = 0; i < 1000 && ::waitpid(child, &status, WNOHANG) == 0; ++i) {
    (void)wait_for("run ");
    ::usleep(10'000);
  }
  CHECK(WIFEXITED(status));
  CHECK(WEXITSTATUS(status) == 0);
  termios after{};
  REQUIRE(::tcgetattr(ours, &after) == 0);
  CHECK(after.c_lflag == before.c_lflag);
  CHECK(after.c_cc[VSUSP] == before.c_cc[VSUSP]);
  CHECK(screen.find("/air\r\n") == std::string::npos);  // not echoed
  ::close(ours);
  ::close(terminal);
  CHECK(nlohmann::json::parse(site.read("out/run.json"))["accounted"] == true);
}
