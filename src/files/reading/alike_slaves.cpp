#include "alike_slaves.h"

#include <algorithm>
#include <array>
#include <charconv>
#include <map>
#include <optional>

#include <fmt/format.h>

#include "files/file_source.h"
#include "files/table_reader.h"
#include "model/ascii_text.h"
#include "model/nearest_name.h"

namespace greymet::files::internal {

using model::AlikeSlave;
using model::AlikeSlaves;
using model::Findings;
using model::RuleCode;
using model::Subject;
using model::SubjectKind;

namespace {

constexpr std::array<std::string_view, 4> own_keys{"like", "count", "counts", "offset"};
// A slave that says where it is by one of these takes over none of the others.
constexpr std::array<std::string_view, 2> whereabouts{"line", "host"};
// What counts on from one to the next.
enum class Counts : std::uint8_t { unit, host };

bool is_one_of(std::string_view key, const auto& keys) {
  return std::find(keys.begin(), keys.end(), key) != keys.end();
}

// Names end in a number: the given one's own counts on, "fan" begins with 1.
std::string name_of_member(const std::string& name, std::int64_t number) {
  std::size_t digits = name.size();
  while (digits > 0 && model::is_digit(name[digits - 1]) && name.size() - digits < 6) --digits;
  std::int64_t first = 1;
  std::from_chars(name.data() + digits, name.data() + name.size(), first);
  const std::string text = fmt::format("{}", first + number);
  const std::size_t width = std::max(name.size() - digits, text.size());
  return fmt::format("{}{:0>{}}", name.substr(0, digits), text, width);
}

// What a slave says of being alike.
struct Alikeness {
  model::Declared<std::string> like;
  model::Declared<std::int64_t> count;
  model::Declared<Counts> counts;
  std::optional<std::int64_t> offset;
  std::map<std::string, std::int64_t> offsets;
};

class Unfolding {
 public:
  Unfolding(Value& slaves, std::vector<AlikeSlaves>& groups, Findings& findings)
      : slaves_(slaves), groups_(groups), findings_(findings) {}

  void run() {
    for (std::size_t i = 0; i < slaves_.entries.size(); ++i) {
      index_of_.try_emplace(slaves_.entries[i].key, i);
    }
    for (const Entry& entry : slaves_.entries) said_.push_back(alikeness_of(entry));
    std::vector<Entry> out;
    for (std::size_t i = 0; i < slaves_.entries.size(); ++i) unfold(i, out);
    slaves_.entries = std::move(out);
  }

 private:
  [[nodiscard]] TableReader reader_of(const Entry& entry) {
    return {entry.value, Subject{SubjectKind::slave, entry.key}, findings_};
  }

  Alikeness alikeness_of(const Entry& entry) {
    Alikeness out;
    if (entry.value.kind != ValueKind::table) return out;
    TableReader in = reader_of(entry);
    out.like = in.text("like");
    out.count = in.integer("count", 1, model::most_alike);
    static constexpr std::array<std::pair<std::string_view, Counts>, 2> words{
        {{"unit", Counts::unit}, {"host", Counts::host}}};
    out.counts = in.choice<Counts>("counts", words);
    read_offset(in, out);
    const auto stray = [&](std::string_view key, std::string_view of) {
      const Value* found = entry.value.find(key);
      if (found == nullptr) return;
      in.report(RuleCode::P05, found->place, fmt::format("`{}` goes with `{}`", key, of),
                fmt::format("remove it, or write `{}`", of));
    };
    if (!out.like) stray("offset", "like");
    if (!out.count) stray("counts", "count");
    if (out.like && out.count) {
      in.report(RuleCode::P05, out.count->place, "`count` and `like` do not go together",
                "give the slave that this one is like the `count`");
      out.count.reset();
    }
    return out;
  }

  // A number for all areas, or a table by areas.
  static void read_offset(TableReader& in, Alikeness& out) {
    constexpr std::int64_t most = 16'777'216;
    const Value* found = in.anything("offset");
    if (found == nullptr) return;
    if (found->kind != ValueKind::table) {
      if (const auto whole = in.integer("offset", -most, most)) out.offset = whole->value;
      return;
    }
    TableReader areas(*found, in.subject(), in.findings());
    for (const Entry& area : found->entries) {
      if (const auto whole = areas.integer(area.key, -most, most)) {
        out.offsets[area.key] = whole->value;
      }
    }
  }

  // The slave that this one is like: one that is like no other.
  std::optional<std::size_t> model_of(std::size_t slave) {
    const auto& like = said_[slave].like;
    if (!like) return std::nullopt;
    const Entry& entry = slaves_.entries[slave];
    const auto found = index_of_.find(like->value);
    if (found == index_of_.end()) {
      std::vector<std::string_view> known;
      for (const Entry& each : slaves_.entries) {
        if (known.size() == model::most_names_compared) break;
        if (&each != &entry) known.emplace_back(each.key);
      }
      reader_of(entry).report(
          RuleCode::P03, like->place,
          fmt::format("there is no slave '{}' to be like{}", like->value.substr(0, 60),
                      model::did_you_mean(like->value, known)),
          "name a slave as the plan writes it: like = \"fan1\" for [slave.fan1]");
      return std::nullopt;
    }
    const auto& further = said_[found->second].like;
    if (found->second == slave) {
      reader_of(entry).report(RuleCode::P05, like->place, "a slave cannot be `like` itself",
                              "name the slave that states all its keys");
      return std::nullopt;
    }
    if (further) {
      reader_of(entry).report(RuleCode::P05, like->place,
                              fmt::format("{} is itself like {}", like->value, further->value), "");
      model::add_fix(
          findings_.back(),
          model::write_instead(like->place, fmt::format("\"{}\"", further->value), true));
      return std::nullopt;
    }
    return found->second;
  }

  void unfold(std::size_t i, std::vector<Entry>& out) {
    Entry entry = slaves_.entries[i];
    if (entry.value.kind != ValueKind::table) {
      out.push_back(std::move(entry));
      return;
    }
    const auto model = model_of(i);
    if (model) take_over(slaves_.entries[*model].value, entry.value);
    if (said_[i].like && !model) refuse_whereabouts(entry.value, said_[i].like->place);
    std::erase_if(entry.value.entries,
                  [](const Entry& each) { return is_one_of(each.key, own_keys); });
    if (model) {
      AlikeSlaves& group = group_of(*model);
      const auto& said = said_[i];
      const auto number = static_cast<std::int64_t>(group.members.size());
      group.members.push_back({entry.key, number, said.offset, said.offsets});
      out.push_back(std::move(entry));
      return;
    }
    // the first of those that are like it, and one that counts
    const std::int64_t count = said_[i].count ? said_[i].count->value : 1;
    const bool counted = said_[i].count.has_value();
    if (counted) group_of(i);
    for (std::int64_t k = 0; k < count && out.size() <= most_rows; ++k) {
      Entry member = entry;
      if (counted) {
        member.key = name_of_member(entry.key, k);
        if (!count_on(member, said_[i], k)) {
          forget_from(entry.key, k, count);
          break;
        }
      }
      out.push_back(std::move(member));
    }
  }

  // The group whose first slave is written there; made with its own slaves where it is new.
  AlikeSlaves& group_of(std::size_t first) {
    const auto [at, is_new] = group_at_.try_emplace(first, groups_.size());
    if (!is_new) return groups_[at->second];
    const Entry& entry = slaves_.entries[first];
    AlikeSlaves group{entry.key, entry.place, {}};
    const auto& count = said_[first].count;
    for (std::int64_t k = 0; k < (count ? count->value : 1); ++k) {
      group.members.push_back({count ? name_of_member(entry.key, k) : entry.key, k, {}, {}});
    }
    groups_.push_back(std::move(group));
    return groups_.back();
  }

  // Where it is was to come from a slave that is not there: nobody need hear of it twice.
  static void refuse_whereabouts(Value& slave, model::Range place) {
    for (const std::string_view key : whereabouts) {
      if (slave.find(key) != nullptr) return;
    }
    Value refused;
    refused.kind = ValueKind::refused;
    refused.place = place;
    slave.entries.push_back({"line", place, std::move(refused)});
  }

  // Slaves of a count that cannot be had.
  void forget_from(const std::string& name, std::int64_t k, std::int64_t count) {
    for (; k < count; ++k) {
      std::erase_if(groups_[group_at_[index_of_[name]]].members,
                    [&](const AlikeSlave& each) { return each.name == name_of_member(name, k); });
    }
  }

  // Keys that the slave does not state itself.
  static void take_over(const Value& from, Value& into) {
    const bool is_placed = std::any_of(whereabouts.begin(), whereabouts.end(),
                                       [&](auto key) { return into.find(key) != nullptr; });
    for (const Entry& each : from.entries) {
      if (is_one_of(each.key, own_keys) || into.find(each.key) != nullptr) continue;
      if (is_placed && is_one_of(each.key, whereabouts)) continue;
      into.entries.push_back(each);
    }
  }

  // False where it cannot, which is said once.
  bool count_on(Entry& member, const Alikeness& said, std::int64_t k) {
    const bool at_host = member.value.find("host") != nullptr;
    const Counts counts =
        said.counts ? said.counts->value : (at_host ? Counts::host : Counts::unit);
    Value* value = member.value.find(counts == Counts::host ? "host" : "unit");
    if (value == nullptr) return true;  // its absence has its own finding
    if (counts == Counts::unit) {
      if (value->kind != ValueKind::integer) return true;
      value->integer += k;
      value->text = fmt::format("{}", value->integer);
      return true;
    }
    const std::size_t dot = value->text.rfind('.');
    std::int64_t last = 0;
    const char* end = value->text.data() + value->text.size();
    const char* begin = dot == std::string::npos ? end : value->text.data() + dot + 1;
    const auto read = std::from_chars(begin, end, last);
    constexpr std::int64_t last_host = 254;
    if (begin == end || read.ec != std::errc() || read.ptr != end || last + k > last_host) {
      reader_of(member).report(
          RuleCode::P05, value->place,
          fmt::format("'{}' cannot be counted on to the address of {}", value->text.substr(0, 60),
                      member.key),
          "write the first address, as \"10.20.0.31\", with room for all behind it; or a table for "
          "each slave with `like` and its own `host`");
      return false;
    }
    value->text = fmt::format("{}.{}", value->text.substr(0, dot), last + k);
    return true;
  }

  Value& slaves_;
  std::vector<AlikeSlaves>& groups_;
  Findings& findings_;
  std::map<std::string, std::size_t, std::less<>> index_of_;
  std::vector<Alikeness> said_;
  std::map<std::size_t, std::size_t> group_at_;
};

}  // namespace

void unfold_slaves(Value& slaves, std::vector<AlikeSlaves>& groups, Findings& findings) {
  const bool any =
      std::any_of(slaves.entries.begin(), slaves.entries.end(), [](const Entry& entry) {
        return std::any_of(own_keys.begin(), own_keys.end(),
                           [&](std::string_view key) { return entry.value.find(key) != nullptr; });
      });
  if (any) Unfolding(slaves, groups, findings).run();
}

}  // namespace greymet::files::internal
