// Maps against a newer revision of their manual: what differs, and what people added to them.
#include <fmt/format.h>
#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include <map>
#include <set>

#include "files/map_reader.h"
#include "files/map_update.h"
#include "plans.h"

using namespace greymet;
using model::Numbering;

namespace {

model::RegisterMap map_from(const std::string& csv, Numbering numbering = Numbering::from_0) {
  model::Findings findings;
  auto map = files::read_map(csv, "m.csv", 0, numbering, {}, findings);
  std::string all;
  for (const auto& f : findings) {
    if (f.severity == model::Severity::error) all += f.message + "\n";
  }
  INFO(all);
  CHECK(all.empty());
  return map;
}

std::vector<std::string> differences(const std::string& old, const std::string& now) {
  std::vector<std::string> out;
  for (const auto& c : model::map_changes(map_from(old), map_from(now))) {
    out.push_back(fmt::format("{} {} {} {} {}", to_string(c.kind), c.point, c.what, c.old, c.now));
  }
  return out;
}

// A point of one revision.
struct ManualRow {
  std::string name;
  int address = 0;
  std::string type = "u16";
  std::string own;  // cell of a column of one's own
};

std::string csv_of(const std::vector<ManualRow>& entries, bool with_own, int counts_from) {
  std::string csv = with_own ? "shelf,point,area,address,type\n" : "point,area,address,type\n";
  for (const ManualRow& e : entries) {
    csv += fmt::format("{}{},hr,{},{}\n", with_own ? e.own + "," : std::string(), e.name,
                       e.address + counts_from, e.type);
  }
  return csv;
}

struct Revisions {
  std::vector<ManualRow> old;
  std::vector<ManualRow> now;
};

rc::Gen<Revisions> revisions() {
  return rc::gen::exec([] {
    Revisions r;
    const int points = *rc::gen::inRange(1, 12);
    for (int i = 0; i < points; ++i) {
      const ManualRow entry{fmt::format("p{}", i), 10 * i,
                            *rc::gen::element<std::string>("u16", "i16"),
                            fmt::format("note {}", i)};
      r.old.push_back(entry);
      ManualRow next = entry;
      switch (*rc::gen::inRange(0, 6)) {
        case 0: continue;  // gone
        case 1: next.name = fmt::format("q{}", i); break;
        case 2: next.address += 3; break;
        case 3: next.type = "f32"; break;
        default: break;
      }
      r.now.push_back(next);
    }
    const int added = *rc::gen::inRange(0, 3);
    for (int i = 0; i < added; ++i)
      r.now.push_back({fmt::format("new{}", i), 500 + 10 * i, "u16", ""});
    return r;
  });
}

}  // namespace

TEST_CASE("differences of maps are told point by point") {
  using MapTexts = std::vector<std::string>;
  const std::string old =
      "point,area,address,type,factor,unit,access,names\nspeed,hr,0,u16,0.1,Hz,r,\n"
      "state,hr,1,u16,,,r,0=off; 1=on\nramp,hr,4,u16,,,rw,\nflag,hr,9.3,bool,,,r,\n";
  CHECK(differences(old, old).empty());
  CHECK(differences(old,
                    "point,area,address,type,factor,unit,access,names\nspeed,hr,0,u16,0.01,Hz,r,\n"
                    "ramp_time,hr,4,u16,,,rw,\nflag,hr,9.4,bool,,,r,\nload,ir,7,i16,,%,r,\n") ==
        MapTexts{"changed speed factor 0.1 0.01", "renamed ramp name ramp ramp_time",
                 "moved flag address hr:9.3 hr:9.4", "added load   ir:7 i16",
                 "gone state  hr:1 u16 "});
  // two points that may have become two others are not paired by guessing
  CHECK(differences("point,area,address,type\na,hr,0,u16\nb,hr,0,u16\n",
                    "point,area,address,type\nc,hr,0,u16\n") ==
        MapTexts{"added c   hr:0 u16", "gone a  hr:0 u16 ", "gone b  hr:0 u16 "});
}

TEST_CASE("an updated map says what the table says, and keeps what is one's own") {
  rc::prop("registers, names and cells", [] {
    const Revisions r = *revisions();
    const bool from_1 = *rc::gen::arbitrary<bool>();
    const auto update = files::updated_map(csv_of(r.old, true, 1), Numbering::from_1,
                                           csv_of(r.now, false, from_1 ? 1 : 0),
                                           from_1 ? Numbering::from_1 : Numbering::from_0);
    RC_ASSERT(update.has_value());
    const auto result = map_from(update->csv, Numbering::from_1);
    RC_ASSERT(result.points().size() == r.now.size());
    std::map<std::string, ManualRow> old;
    for (const ManualRow& e : r.old) old[e.name] = e;
    std::size_t same = 0;
    for (std::size_t i = 0; i < r.now.size(); ++i) {
      const ManualRow& e = r.now[i];
      const model::Point& p = result.points()[i];
      // what is called q3 now was p3, and the plan knows it by that
      const std::string known = e.name[0] == 'q' ? "p" + e.name.substr(1) : e.name;
      RC_ASSERT(p.name == known);
      RC_ASSERT(p.address.offset.value == e.address);
      RC_ASSERT(to_text(p.type) == e.type);
      const auto was = old.find(known);
      RC_ASSERT(p.extra == std::vector<std::string>{was == old.end() ? "" : was->second.own});
      if (was != old.end() && was->second.address == e.address && was->second.type == e.type)
        ++same;
    }
    RC_ASSERT(update->same == same);
  });
}

TEST_CASE("a cell that the new table leaves empty stays, one that it fills is taken") {
  const auto update = files::updated_map(
      "point,area,address,type,min,max,note\na,hr,40001,u16,0,10,ours\n", Numbering::reference,
      "point,area,address,type,max,unit\na,hr,0,u16,20,V\n", Numbering::from_0);
  REQUIRE(update.has_value());
  CHECK(update->csv ==
        "point,area,address,type,min,max,note,unit\r\na,hr,40001,u16,0,20,ours,V\r\n");
  const auto bad = files::updated_map("point,area,address,type\na,hr,x1y,u16\n", Numbering::from_0,
                                      "point,area,address,type\n", Numbering::from_0);
  REQUIRE(!bad.has_value());
  CHECK(bad.error().find("the map as it is, line 2: ") == 0);
}

TEST_CASE("who uses a point: transactions, wants, tags and paths, and nobody else") {
  const auto loaded = test::load(
      "[controller.kiln]\nscan = \"10ms\"\ntags = \"tags.csv\"\n[controller.kiln.memory]\n\"%MW\" "
      "= "
      "{ kind = \"word\", first = 0, count = 1000 }\n[line.north]\nmaster = \"kiln\"\nmode = "
      "\"rtu\"\nbaud = 19200\nformat = \"8E1\"\n[slave.m]\nline = \"north\"\nunit = 1\nmap = "
      "\"m.csv\"\n[exchange]\ntransactions = [ { name = \"in\", slave = \"m\", fc = 3, at = 0, "
      "count "
      "= 2, into = \"%MW0\", every = \"1s\", on_loss = \"hold\" } ]\nwants = [ { slave = \"m\", "
      "points = [\"c\"], every = \"1s\", into = \"%MW9\" } ]\n[supervision]\npaths = [ { name = "
      "\"p\", from = \"m.b\", to = \"kiln.%MW1\", budget = \"9s\" } ]\n",
      {{"m.csv", "point,area,address,type\na,hr,0,u16\nb,hr,1,u16\nc,hr,2,u16\nd,hr,3,u16\n"},
       {"tags.csv", "tag,address,type,from\nA,%MW0,WORD,m.a\n"}});
  const auto users = [&](const std::string& point) {
    const model::ResolvedPlan& plan = loaded.plan;
    return model::users_of(plan, model::SlaveIndex(0), *plan.plan.maps[0].find(point));
  };
  using MapTexts = std::vector<std::string>;
  CHECK(users("a") == MapTexts{"transaction in", "tag kiln.A"});
  CHECK(users("b") == MapTexts{"transaction in", "path p"});
  CHECK(users("c") == MapTexts{"want 1"});
  CHECK(users("d").empty());
}
