#include "growth_plans.h"

#include <fmt/format.h>

namespace greymet::bench {

std::string rows(std::size_t count, std::string_view row) {
  std::string text;
  for (std::size_t i = 0; i < count; ++i) text += fmt::format(fmt::runtime(row), i);
  return text;
}

std::string exchange_of(const std::string& transactions, const std::string& lists) {
  return "[exchange]\n" + lists + "transactions = [\n" + transactions + "]\n";
}

std::string ring_of_controllers(std::size_t count, std::string_view every) {
  std::string text;
  std::string list;
  for (std::size_t i = 0; i < count; ++i) {
    text += fmt::format(
        "[controller.c{0}]\nscan = \"10ms\"\naddress = \"10.0.{1}.{2}/16\"\nanswers = "
        "[ {{ port = 502 }} ]\n[controller.c{0}.memory]\n\"%MW\" = {{ kind = "
        "\"word\", first = 0, count = 1000, serves = \"hr:0\" }}\n",
        i, i / 200, 1 + i % 200);
    list += fmt::format(
        "{{ name = \"t{0}\", controller = \"c{0}\", slave = \"c{1}\", fc = 16, at = "
        "\"%MW0\", count = 9, from = \"%MW100\", every = \"{2}\" }},\n",
        i, (i + 1) % count, every);
  }
  return text + exchange_of(list);
}

namespace {

const std::string plc = R"([controller.plc]
scan = "10ms"
address = "10.0.0.1/8"
[controller.plc.memory]
"%MW" = { kind = "word", first = 0, count = 65000 }
"%M" = { kind = "bit", first = 0, count = 65000 }
)";
const std::string line = R"([line.l]
master = "plc"
mode = "rtu"
baud = 115200
format = "8E1"
[slave.a]
line = "l"
unit = 1
map = "m.csv"
)";
const std::string host = "[slave.a]\nhost = \"10.0.0.2\"\nmap = \"m.csv\"\n";

// A period in which `count` requests keep one line half busy, whatever the count.
std::string period(std::size_t count) {
  return fmt::format("\"{}ms\"", 60 * count);
}

// `count` rows of transactions on one line: PERIOD in them stands for period(count).
std::string line_rows(std::size_t count, std::string row) {
  const std::size_t at = row.find("PERIOD");
  row.replace(at, 6, period(count));
  return rows(count, row);
}

const std::string one_read =
    "{ name = \"t\", slave = \"a\", fc = 3, at = 0, count = 1, into = \"%MW0\", every = \"1s\" "
    "},\n";

// `count` slaves with hosts of their own, each with what follows.
std::string slaves(std::size_t count, const std::string& each = {}) {
  std::string text;
  for (std::size_t i = 0; i < count; ++i) {
    text +=
        fmt::format("[slave.s{0}]\nhost = \"10.1.{1}.{2}\"\n{3}", i, i / 250, i % 250 + 2, each);
  }
  return text;
}
std::string map_of(std::size_t points) {
  return "point,area,address,type\n" + rows(points, "p{0},hr,{0},u16\n");
}

const std::vector<List> lists{
    {"transactions on one line", 2000,
     [](std::size_t n) {
       return Site{plc + line +
                       exchange_of(line_rows(n,
                                             "{{ name = \"t{0}\", slave = \"a\", fc = 3, at = {0}, "
                                             "count = 1, into = \"%MW{0}\", every = PERIOD }},\n")),
                   map_of(n)};
     }},
    {"connections of one controller", 250,
     [](std::size_t n) {
       return Site{
           plc + slaves(n) +
           exchange_of(rows(n,
                            "{{ name = \"t{0}\", slave = \"s{0}\", fc = 3, at = 0, count = 1, "
                            "into = \"%MW{0}\", every = \"1s\" }},\n"))};
     }},
    {"connections with few places", 250,
     [](std::size_t n) {
       std::string text = plc;
       text.insert(text.find("scan"), "in_flight = 4\n");
       return Site{
           text + slaves(n) +
           exchange_of(rows(n,
                            "{{ name = \"t{0}\", slave = \"s{0}\", fc = 3, at = 0, count = 1, "
                            "into = \"%MW{0}\", every = \"60s\" }},\n"))};
     }},
    {"writes set off by bits", 250,
     [](std::size_t n) {
       return Site{plc + slaves(n) +
                   exchange_of(rows(n,
                                    "{{ name = \"t{0}\", slave = \"s{0}\", fc = 6, at = 0, from = "
                                    "\"%MW{0}\", on = \"%M{0}\", min_gap = \"5s\" }},\n{{ name = "
                                    "\"r{0}\", slave = \"s{0}\", fc = 1, at = 0, count = 1, into = "
                                    "\"%M{0}\", every = \"5s\" }},\n"))};
     }},
    {"writes set off by changes", 250,
     [](std::size_t n) {
       return Site{plc + slaves(n) +
                   exchange_of(rows(n,
                                    "{{ name = \"t{0}\", slave = \"s{0}\", fc = 6, at = 9, from = "
                                    "\"%MW{0}\", on = \"change\", min_gap = \"5s\" }},\n{{ name = "
                                    "\"r{0}\", slave = \"s{0}\", fc = 3, at = 0, count = 1, into = "
                                    "\"%MW{0}\", every = \"5s\" }},\n"))};
     }},
    {"reads with gates and status", 2000,
     [](std::size_t n) {
       return Site{plc + line +
                       exchange_of(line_rows(
                           n,
                           "{{ name = \"t{0}\", slave = \"a\", fc = 16, at = {0}, count = 1, "
                           "from = \"%MW{0}\", every = PERIOD, only_if = \"%M{0}\", status = "
                           "{{ busy = \"%M2{0:04}\", done = \"%M3{0:04}\", exception = "
                           "\"%MW3{0:04}\" }} }},\n")),
                   map_of(n)};
     }},
    {"function 23", 2000,
     [](std::size_t n) {
       return Site{plc + line +
                   exchange_of(line_rows(
                       n,
                       "{{ name = \"t{0}\", slave = \"a\", fc = 23, read = {{ at = {0}, "
                       "count = 1, into = \"%MW{0}\" }}, write = {{ at = 3{0:04}, count = "
                       "1, from = \"%MW3{0:04}\" }}, every = PERIOD }},\n"))};
     }},
    {"controllers", 200, [](std::size_t n) { return Site{ring_of_controllers(n, "1s")}; }},
    {"answers and served areas", 500,
     [](std::size_t n) {
       std::string answers = "answers = [\n";
       std::string serves = "serves = [\n";
       for (std::size_t i = 0; i < n; ++i) {
         answers +=
             fmt::format("{{ port = {}, allows = [\"10.0.0.2\", \"10.0.0.3\"] }},\n", 1000 + i);
         serves += fmt::format("\"hr:{}\",\n", 2 * i);
       }
       std::string text = plc;
       text.insert(text.find("[controller.plc.memory]"), answers + "]\n");
       text.insert(text.find("count = 65000 }") + 13, ", " + serves + "]");
       return Site{text + host + exchange_of(one_read)};
     }},
    {"memory areas", 2000,
     [](std::size_t n) {
       return Site{
           plc + rows(n, "\"%A{0}_\" = {{ kind = \"word\", first = 0, count = 4 }}\n") + line +
           exchange_of(line_rows(n,
                                 "{{ name = \"t{0}\", slave = \"a\", fc = 3, at = {0}, count = 1, "
                                 "into = \"%A{0}_0\", every = PERIOD }},\n"))};
     }},
    {"lines", 250,
     [](std::size_t n) {
       return Site{
           plc +
           rows(n,
                "[line.l{0}]\nmaster = \"plc\"\nmode = \"rtu\"\nbaud = 19200\nformat = "
                "\"8E1\"\n[slave.s{0}]\nline = \"l{0}\"\nunit = 1\n") +
           exchange_of(rows(n,
                            "{{ name = \"t{0}\", slave = \"s{0}\", fc = 3, at = 0, count = 1, "
                            "into = \"%MW{0}\", every = \"1s\" }},\n"))};
     }},
    {"gateways", 250,
     [](std::size_t n) {
       std::string text = plc;
       for (std::size_t i = 0; i < n; ++i) {
         text += fmt::format(
             "[gateway.g{0}]\nhost = \"10.2.{1}.{2}\"\n[line.l{0}]\nvia = \"g{0}\"\nmode = "
             "\"rtu\"\nbaud = 19200\nformat = \"8E1\"\n[slave.s{0}]\nline = \"l{0}\"\nunit = 1\n",
             i, i / 250, i % 250 + 2);
       }
       return Site{text +
                   exchange_of(rows(n,
                                    "{{ name = \"t{0}\", slave = \"s{0}\", fc = 3, at = 0, count "
                                    "= 1, into = \"%MW{0}\", every = \"1s\" }},\n"))};
     }},
    {"slaves that nobody asks", 2000,
     [](std::size_t n) { return Site{plc + host + slaves(n) + exchange_of(one_read)}; }},
    {"slaves with watchdogs", 250,
     [](std::size_t n) {
       return Site{
           plc + slaves(n, "watchdog = \"9s\"\n") +
           exchange_of(rows(n,
                            "{{ name = \"t{0}\", slave = \"s{0}\", fc = 3, at = 0, count = 1, "
                            "into = \"%MW{0}\", every = \"2s\" }},\n"))};
     }},
    {"copies in a chain", 1000,
     [](std::size_t n) {
       std::string copies = "copies = [\n";
       for (std::size_t i = 0; i < n; ++i) {
         copies += fmt::format(
             "{{ controller = \"plc\", from = \"%MW{}\", to = \"%MW{}\", count = 1 }},\n", i,
             i + 1);
       }
       return Site{plc + host + exchange_of(one_read, copies + "]\n")};
     }},
    {"copies of one value", 2000,
     [](std::size_t n) {
       return Site{plc + host +
                   exchange_of(one_read, "copies = [\n" +
                                             rows(n,
                                                  "{{ controller = \"plc\", from = \"%MW0\", to = "
                                                  "\"%MW1{0:04}\", count = 1 }},\n") +
                                             "]\n")};
     }},
    {"wanted points", 1500,
     [](std::size_t n) {
       return Site{plc + line + "[exchange]\nwants = [\n" +
                       rows(n,
                            "{{ slave = \"a\", points = [\"p{0}\"], every = \"10s\", into = "
                            "\"%MW\" }},\n") +
                       "]\n",
                   map_of(n)};
     }},
    {"points of one want", 4000,
     [](std::size_t n) {
       return Site{plc + line +
                       "[exchange]\nwants = [ { slave = \"a\", every = \"10s\", into = \"%MW\", "
                       "points = [\n" +
                       rows(n, "\"p{0}\",\n") + "] } ]\n",
                   map_of(n)};
     }},
    {"heartbeats and paths", 250,
     [](std::size_t n) {
       std::string text = plc;
       text.replace(text.find("{ kind = \"bit\","), 16, "{ kind = \"bit\", inside = \"%MW\",");
       text +=
           "[controller.peer]\nscan = \"10ms\"\naddress = \"10.0.0.9/8\"\nanswers = [ { port = 502 "
           "} "
           "]\n[controller.peer.memory]\n\"%MW\" = { kind = \"word\", first = 0, count = 65000, "
           "serves = \"hr:0\" }\n\"%MX\" = { kind = \"bit\", inside = \"%MW\", first = 0, count = "
           "65000 }\n";
       text +=
           exchange_of(rows(n,
                            "{{ name = \"t{0}\", controller = \"plc\", slave = \"peer\", fc = 16, "
                            "at = \"%MW{0}\", count = 1, from = \"%MW{0}\", every = \"5s\" }},\n"));
       text += "[supervision]\nheartbeats = [\n";
       for (std::size_t i = 0; i < n; ++i) {
         text += fmt::format(
             "{{ name = \"h{0}\", from = \"plc\", bit = \"%M{1}\", toggle = \"60s\", to = "
             "\"peer\", watch = \"200s\", react = \"10min\", seen = \"%MX{1}\" }},\n",
             i, 16 * i);
       }
       text += "]\npaths = [\n" +
               rows(n,
                    "{{ name = \"w{0}\", from = \"plc.%MW{0}\", to = \"peer.%MW{0}\", budget = "
                    "\"60s\" }},\n") +
               "]\n";
       return Site{text};
     }},
    {"accepts", 2000,
     [](std::size_t n) {
       return Site{
           plc + line +
           exchange_of(line_rows(n,
                                 "{{ name = \"t{0}\", slave = \"a\", fc = 3, at = {0}, count = 1, "
                                 "into = \"%MW{0}\", every = PERIOD }},\n")) +
           "[review]\naccepts = [\n" +
           rows(n, "{{ rule = \"C01\", at = \"transaction t{0}\", why = \"agreed\" }},\n") + "]\n"};
     }},
    {"points of a map", 8000,
     [](std::size_t n) {
       return Site{
           plc + host +
               exchange_of("{ name = \"t\", slave = \"a\", fc = 3, at = 0, count = 125, into = "
                           "\"%MW0\", every = \"1s\" },\n"),
           map_of(n)};
     }},
    {"tags", 1500,
     [](std::size_t n) {
       std::string text = plc + line;
       text.insert(text.find("scan"), "tags = \"t.csv\"\n");
       return Site{text + exchange_of(line_rows(
                              n,
                              "{{ name = \"t{0}\", slave = \"a\", fc = 3, at = {0}, count "
                              "= 1, into = \"%MW{0}\", every = PERIOD }},\n")),
                   map_of(n), "tag,address,type,from\n" + rows(n, "g{0},%MW{0},UINT,a.p{0}\n")};
     }},
    {"rows of a log", 20'000,
     [](std::size_t n) {
       std::string log = "time_s,transaction,slave,fc,tries,outcome,exception,response_ms,words\n";
       for (std::size_t i = 0; i < n; ++i)
         log += fmt::format("{},t,a,3,1,good,,5,{:04X}\n", i, i % 65536);
       return Site{plc + host + exchange_of(one_read),
                   "point,area,address,type\np,hr,0,u16\n",
                   {},
                   {{"log.csv", log}}};
     }},
    {"rows of a fault script", 500,
     [](std::size_t n) {
       std::string faults = "at,for,slave,fault,with\n";
       for (std::size_t i = 0; i < n; ++i) faults += fmt::format("{}s,1s,a,slow,5ms\n", 2 * i);
       return Site{plc + host + exchange_of(one_read),
                   "point,area,address,type\np,hr,0,u16\n",
                   {},
                   {{"faults.csv", faults}}};
     }},
};

}  // namespace

const std::vector<List>& growing_lists() {
  return lists;
}

}  // namespace greymet::bench
