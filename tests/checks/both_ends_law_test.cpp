// The laws of family V, attacked by memory that is really moved: an oracle that knows nothing of
// flows, shifts and traces, and every single slip in the demo.
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include <array>
#include <fstream>
#include <map>
#include <regex>
#include <sstream>

#include <fmt/format.h>

#include "files/points_export.h"
#include "modbus/value_codec.h"
#include "model/point_list.h"
#include "plans.h"

using namespace greymet;

namespace {

using Registers = std::vector<std::uint16_t>;

// A value of the gauge, and what its register map says of it.
struct TruePoint {
  std::string name;
  model::DataType type;
  std::uint32_t at = 0;
  modbus::RawValue value;
};

struct TrueTag {
  std::string name;
  int controller = 0;  // 0 kiln, 1 loadout
  int address = 0;
  model::DataType type;
  model::WordOrder order{};
  std::size_t point = 0;
};

// What moves values, as plain numbers.
struct Scenario {
  std::vector<TruePoint> points;
  model::WordOrder slave_order{};
  std::optional<model::WordOrder> swap;
  int read_at = 0;
  int read_count = 0;
  int read_into = 100;
  struct Copy {
    int from = 0;
    int to = 0;
    int count = 0;
  };
  std::vector<Copy> copies;
  int sent_from = 400;
  int sent_to = 20;
  int sent_count = 30;
  std::vector<TrueTag> tags;
};

constexpr std::array orders{model::WordOrder::abcd, model::WordOrder::cdab, model::WordOrder::badc,
                            model::WordOrder::dcba};

model::WordOrder any_order() {
  return orders[*rc::gen::inRange<std::size_t>(0, orders.size())];
}

// Values whose bytes all differ, so that no mistake is right by chance.
modbus::RawValue value_of(model::DataType type, std::size_t index) {
  const auto n = static_cast<std::uint64_t>(index + 1);
  switch (type.kind) {
    case model::TypeKind::u16: return 0x1234 + 0x0205 * n;
    case model::TypeKind::bits: return 0x5102 + 0x0301 * n;
    case model::TypeKind::u32: return 0x11223344 + 0x01030507 * n;
    case model::TypeKind::f64: return 1234.56789 + 17.03 * static_cast<double>(n);
    default: return double(float(97.3125F + 3.5F * static_cast<float>(n)));
  }
}

Scenario true_scenario() {
  constexpr std::array kinds{model::TypeKind::u16, model::TypeKind::f32, model::TypeKind::u32,
                             model::TypeKind::bits, model::TypeKind::f64};
  Scenario s;
  s.slave_order = any_order();
  if (*rc::gen::arbitrary<bool>()) s.swap = any_order();
  const auto count = *rc::gen::inRange<std::size_t>(2, 7);
  std::uint32_t at = 0;
  for (std::size_t i = 0; i < count; ++i) {
    const model::DataType type{kinds[*rc::gen::inRange<std::size_t>(0, kinds.size())], 0};
    s.points.push_back({fmt::format("p{}", i), type, at, value_of(type, i)});
    at += registers_of(type);
  }
  s.read_count = static_cast<int>(at);
  const model::WordOrder order = s.swap.value_or(s.slave_order);
  int lands = s.sent_from;
  for (std::size_t i = 0; i < count; ++i) {
    const TruePoint& p = s.points[i];
    const auto here = static_cast<int>(s.read_into + static_cast<int>(p.at));
    const auto length = static_cast<int>(registers_of(p.type));
    s.tags.push_back({p.name + "_k", 0, here, p.type, order, i});
    if (!*rc::gen::arbitrary<bool>()) continue;
    s.copies.push_back({here, lands, length});
    s.tags.push_back({p.name + "_l", 1, lands - s.sent_from + s.sent_to, p.type, order, i});
    lands += length + *rc::gen::inRange(0, 2);
  }
  s.sent_count = std::max(lands - s.sent_from, 1);
  return s;
}

// One thing that is wrong.
void slip(Scenario& s) {
  const int step = *rc::gen::element(-2, -1, 1, 2);
  const auto tag = *rc::gen::inRange<std::size_t>(0, s.tags.size());
  switch (*rc::gen::inRange(0, 10)) {
    case 0: s.read_into += step; break;
    case 1: s.read_at = std::max(0, s.read_at + step); break;
    case 2: s.read_count = std::max(1, s.read_count - std::abs(step)); break;
    case 3: s.tags[tag].address += step; break;
    case 4: s.tags[tag].order = any_order(); break;
    case 5:
      s.tags[tag].type = {*rc::gen::element(model::TypeKind::u16, model::TypeKind::f32,
                                            model::TypeKind::u32, model::TypeKind::f64),
                          0};
      break;
    case 6: s.sent_from += step; break;
    case 7: s.sent_to += step; break;
    case 8: s.slave_order = any_order(); break;
    default:
      if (s.copies.empty()) return;
      Scenario::Copy& copy = s.copies[*rc::gen::inRange<std::size_t>(0, s.copies.size())];
      switch (*rc::gen::inRange(0, 3)) {
        case 0: copy.from += step; break;
        case 1: copy.to += step; break;
        default: copy.count = std::max(1, copy.count - std::abs(step)); break;
      }
  }
}

// The program of both controllers and the wire, word by word, for long enough.
std::vector<bool> right_values(const Scenario& s) {
  std::map<int, std::uint16_t> gauge;
  for (const TruePoint& p : s.points) {
    const Registers words = *modbus::encode_value(p.value, p.type, s.slave_order);
    for (std::size_t k = 0; k < words.size(); ++k) gauge[static_cast<int>(p.at + k)] = words[k];
  }
  std::array<Registers, 2> memory{Registers(1000, 0xEEEE), Registers(1000, 0xDDDD)};
  for (int round = 0; round < 5; ++round) {
    std::map<int, std::uint16_t> taken = gauge;
    for (const TruePoint& p : s.points) {  // what swaps knows where the values of its block are
      const int first = static_cast<int>(p.at);
      const int end = first + static_cast<int>(registers_of(p.type));
      if (!s.swap || first < s.read_at || end > s.read_at + s.read_count) continue;
      const Registers words = *modbus::encode_value(p.value, p.type, *s.swap);
      for (std::size_t k = 0; k < words.size(); ++k) taken[first + static_cast<int>(k)] = words[k];
    }
    for (int k = 0; k < s.read_count; ++k) {
      memory[0][static_cast<std::size_t>(s.read_into + k)] = taken[s.read_at + k];
    }
    for (const auto& copy : s.copies) {
      for (int k = 0; k < copy.count; ++k) {
        memory[0][static_cast<std::size_t>(copy.to + k)] =
            memory[0][static_cast<std::size_t>(copy.from + k)];
      }
    }
    for (int k = 0; k < s.sent_count; ++k) {
      memory[1][static_cast<std::size_t>(s.sent_to + k)] =
          memory[0][static_cast<std::size_t>(s.sent_from + k)];
    }
  }
  std::vector<bool> right;
  for (const TrueTag& tag : s.tags) {
    const auto first = memory[static_cast<std::size_t>(tag.controller)].begin() + tag.address;
    const Registers words(first, first + static_cast<std::ptrdiff_t>(registers_of(tag.type)));
    const auto value = modbus::decode_value(words, tag.type, tag.order);
    const TruePoint& p = s.points[tag.point];
    const bool same_bits =
        tag.type.kind == p.type.kind || registers_of(tag.type) == registers_of(p.type);
    right.push_back(value && same_bits &&
                    *modbus::encode_value(*value, tag.type, tag.order) ==
                        *modbus::encode_value(p.value, p.type, tag.order) &&
                    (tag.type.kind == p.type.kind || (registers_of(tag.type) == 1)));
  }
  return right;
}

std::string map_text(const Scenario& s) {
  std::string map = "point,area,address,type,access\n";
  for (const TruePoint& p : s.points) {
    map += fmt::format("{},hr,{},{},r\n", p.name, p.at, to_text(p.type));
  }
  return map;
}

std::string plan_text(const Scenario& s, bool with_tags) {
  std::string copies;
  for (const auto& copy : s.copies) {
    copies +=
        fmt::format("{{ controller = \"kiln\", from = \"%MW{}\", to = \"%MW{}\", count = {} }},",
                    copy.from, copy.to, copy.count);
  }
  return fmt::format(
      "[controller.kiln]\nscan = \"10ms\"\naddress = \"10.20.0.10/24\"\n{}"
      "[controller.kiln.memory]\n\"%MW\" = {{ kind = \"word\", first = 0, count = 1000 }}\n"
      "[controller.loadout]\nscan = \"10ms\"\naddress = \"10.20.0.12/24\"\n"
      "answers = [ {{ port = 502 }} ]\n{}"
      "[controller.loadout.memory]\n"
      "\"%MW\" = {{ kind = \"word\", first = 0, count = 1000, serves = \"hr:0\" }}\n"
      "[line.north]\nmaster = \"kiln\"\nmode = \"rtu\"\nbaud = 19200\nformat = \"8E1\"\n"
      "[slave.gauge]\nline = \"north\"\nunit = 12\nmap = \"gauge.csv\"\nmap_covers = \"all\"\n"
      "word_order = \"{}\"\n[exchange]\ntransactions = [\n"
      "{{ name = \"in\", slave = \"gauge\", fc = 3, at = {}, count = {}, into = \"%MW{}\", every = "
      "\"1s\", on_loss = \"hold\"{} }},\n"
      "{{ name = \"to\", controller = \"kiln\", slave = \"loadout\", fc = 16, at = \"%MW{}\", "
      "count "
      "= {}, from = \"%MW{}\", every = \"1s\" }},\n]\ncopies = [ {} ]\n",
      with_tags ? "tags = \"kiln.csv\"\n" : "", with_tags ? "tags = \"loadout.csv\"\n" : "",
      to_string(s.slave_order), s.read_at, s.read_count, s.read_into,
      s.swap ? fmt::format(", swap = \"{}\"", to_string(*s.swap)) : std::string(), s.sent_to,
      s.sent_count, s.sent_from, copies);
}

test::Files files_of(const Scenario& s) {
  test::Files files{{"gauge.csv", map_text(s)}};
  for (const int c : {0, 1}) {
    std::string table = "tag,address,type,word_order,from\nown,%MW900,WORD,,program\n";
    for (const TrueTag& tag : s.tags) {
      if (tag.controller != c) continue;
      table += fmt::format("{},%MW{},{},{},gauge.{}\n", tag.name, tag.address,
                           to_text(model::tag_type_of(tag.type)), to_string(tag.order),
                           s.points[tag.point].name);
    }
    files[c == 0 ? "kiln.csv" : "loadout.csv"] = table;
  }
  return files;
}

bool any_grave(const std::vector<std::string>& findings, const std::string& code = "") {
  return std::any_of(findings.begin(), findings.end(), [&](const std::string& f) {
    return !f.starts_with("note") && f.find(" " + code) != std::string::npos;
  });
}

const std::string with_tags_rules = std::string(test::static_families) + ",V";

}  // namespace

TEST_CASE("where every value arrives as it should, V says nothing") {
  rc::prop("the true tables are clean", [] {
    const Scenario s = true_scenario();
    for (const bool right : right_values(s)) RC_ASSERT(right);
    const auto found = test::findings_of(plan_text(s, true), files_of(s), "V01,V02,V03,V04,V05");
    RC_LOG() << plan_text(s, true) << fmt::format("{}", fmt::join(found, "\n"));
    RC_ASSERT(found.empty());
  });
}

TEST_CASE("where a value does not arrive as its tag takes it, check does not stay silent") {
  rc::prop("one slip, or two", [] {
    Scenario s = true_scenario();
    slip(s);
    if (*rc::gen::inRange(0, 3) == 0) slip(s);
    const std::vector<bool> right = right_values(s);
    const bool all_right = std::find(right.begin(), right.end(), false) == right.end();
    const auto found = test::findings_of(plan_text(s, true), files_of(s), with_tags_rules);
    RC_LOG() << plan_text(s, true) << files_of(s)["kiln.csv"] << files_of(s)["loadout.csv"]
             << fmt::format("{}", fmt::join(found, "\n"));
    RC_CLASSIFY(all_right, "all right");
    if (!all_right) RC_ASSERT(any_grave(found));
    if (all_right) {
      for (const char* const code : {"V01", "V02", "V03"}) {
        RC_ASSERT_FALSE(any_grave(found, std::string(code)));
      }
    }
  });
}

TEST_CASE("a drafted table is what the plan gives") {
  rc::prop("no finding of family V but what no map knows", [] {
    Scenario s = true_scenario();
    test::Files files = files_of(s);
    const auto loaded = test::load(plan_text(s, false), files);
    const model::PointList list = model::point_list(loaded.plan);
    for (std::size_t c = 0; c < 2; ++c) {
      const auto drafted = draft_tags(loaded.plan, list, model::ControllerIndex(c));
      files[c == 0 ? "kiln.csv" : "loadout.csv"] =
          drafted.empty() ? "tag,address,type\nown,%MW900,WORD\n" : files::tags_csv(drafted);
    }
    const auto found =
        test::findings_of(plan_text(s, true), files, "P,V01,V02,V03,V04,V05,V07,V08");
    RC_LOG() << files["kiln.csv"] << fmt::format("{}", fmt::join(found, "\n"));
    RC_ASSERT(found.empty());
  });
}

namespace {

std::string demo_text(const std::string& name) {
  std::ostringstream text;
  text << std::ifstream(GREYMET_EXAMPLES "/" + name).rdbuf();
  return text.str();
}

test::Files demo_files(const std::string& plan) {
  test::Files files;
  const std::regex name("\"((maps|tags|models)/[a-z-]+\\.(csv|toml))\"");
  for (auto m = std::sregex_iterator(plan.begin(), plan.end(), name); m != std::sregex_iterator();
       ++m) {
    files[(*m)[1]] = demo_text((*m)[1]);
  }
  return files;
}

// Everything in a line of the plan that is a number of memory or of a register, one up or down.
struct Edit {
  std::size_t at = 0;
  std::size_t length = 0;
  std::string text;
};

std::vector<Edit> slips_in(const std::string& plan) {
  std::vector<Edit> edits;
  const std::size_t begin = plan.find("transactions = [");
  const std::size_t end = plan.find("[review]");
  const std::string part = plan.substr(begin, end - begin);
  const auto numbers = [&](const std::string& pattern, std::initializer_list<int> steps) {
    const std::regex where(pattern);
    for (auto m = std::sregex_iterator(part.begin(), part.end(), where);
         m != std::sregex_iterator(); ++m) {
      for (const int step : steps) {
        const int n = std::stoi((*m)[1]) + step;
        if (n < 0) continue;
        edits.push_back({begin + static_cast<std::size_t>(m->position(1)),
                         static_cast<std::size_t>(m->length(1)), std::to_string(n)});
      }
    }
  };
  numbers("into = \"%M[WX](\\d+)\"", {-1, 1});
  numbers("from = \"%M[WX](\\d+)\"", {-1, 1});
  numbers("to = \"%MW(\\d+)\"", {-1, 1});
  numbers("[ {]at = (\\d+),", {-1, 1});
  numbers("count = (\\d+)", {-1, 1});
  numbers("(?:on|only_if|failed) = \"%MX(\\d+)\"", {7});
  numbers("exception = \"%MW(\\d+)\"", {7});
  numbers("bit = \"%MW(\\d+)\\.0\"", {-1, 1});
  numbers("bit = \"%MW\\d+\\.(\\d+)\"", {1});
  const std::regex order("word_order = \"([A-D]{4})\"|swap = \"([A-D]{4})\"");
  for (auto m = std::sregex_iterator(plan.begin(), plan.end(), order); m != std::sregex_iterator();
       ++m) {
    const std::size_t group = (*m)[1].matched ? 1 : 2;
    const std::string now = (*m)[group];
    edits.push_back(
        {static_cast<std::size_t>(m->position(group)), 4, now == "ABCD" ? "CDAB" : "ABCD"});
  }
  return edits;
}

}  // namespace

TEST_CASE("of all single slips in the demo's exchange hardly one passes unseen") {
  const std::string plan = demo_text("maltings.toml");
  const test::Files files = demo_files(plan);
  const auto before = test::findings_of(plan, files, with_tags_rules);
  REQUIRE_FALSE(any_grave(before));
  const auto edits = slips_in(plan);
  REQUIRE(edits.size() > 300);
  std::string unseen;
  std::size_t missed = 0;
#ifdef GREYMET_SANITIZED
  constexpr std::size_t step = 24;
#else
  constexpr std::size_t step = 4;  // all of them take half a minute, and were tried
#endif
  for (std::size_t i = 0; i < edits.size(); i += step) {
    const Edit& edit = edits[i];
    std::string slipped = plan;
    slipped.replace(edit.at, edit.length, edit.text);
    if (any_grave(test::findings_of(slipped, files, with_tags_rules))) continue;
    ++missed;
    const std::size_t line = slipped.rfind('\n', edit.at) + 1;
    unseen += fmt::format("{} -> {}: {}\n", plan.substr(edit.at, edit.length), edit.text,
                          slipped.substr(line, slipped.find('\n', line) - line));
  }
  INFO(edits.size() << " slips, one in " << step << " tried, unseen:\n" << unseen);
  // one register more of a device that answers 0 there, and where wants would be put, harm nobody;
  // an order that is swapped away is nobody's but the device's
  CHECK(missed <= 4);
}
