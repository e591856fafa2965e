#include <algorithm>
#include <memory>

#include <fmt/format.h>

#include "cli/print.h"
#include "cli/print_frame.h"
#include "engine/stated_frames.h"
#include "files/answers_json.h"
#include "files/answers_tables.h"
#include "files/table_csv.h"
#include "files/wire_tables.h"
#include "line/command_line.h"
#include "modbus/planned_frames.h"
#include "model/duration_text.h"
#include "model/nearest_name.h"
#include "model/resolved_plan.h"
#include "model/tag_coverage.h"

namespace greymet::cli {

using modbus::Direction;
using modbus::Framing;
using model::in_ms;

namespace {

// Bytes as pasted: pairs of digits, or an ASCII frame's own characters from the colon on.
modbus::Decoded<modbus::Bytes> pasted_bytes(const std::vector<std::string>& texts,
                                            Framing framing) {
  const std::string text = fmt::format("{}", fmt::join(texts, " "));
  if (framing != Framing::ascii || !text.starts_with(':')) return modbus::from_hex(text);
  modbus::Bytes bytes;
  for (char c : text) bytes.push_back(static_cast<std::byte>(c));
  bytes.push_back(std::byte{'\r'});
  bytes.push_back(std::byte{'\n'});
  return bytes;
}

std::optional<Framing> framing_named(std::string_view name) {
  for (const Framing framing : {Framing::rtu, Framing::ascii, Framing::tcp}) {
    if (files::mode_name(framing) == name) return framing;
  }
  return std::nullopt;
}

// The bytes as request, as reply, or as both where both fit. Where neither does, as what breaks
// less; as both if that does not tell. `as` picks one.
files::FrameAnswer decoded(const modbus::Bytes& bytes, Framing framing, std::string_view as) {
  files::FrameAnswer answer;
  answer.framing = framing;
  auto request = modbus::dissect(bytes, framing, Direction::request);
  auto reply = modbus::dissect(bytes, framing, Direction::reply);
  const auto wrong_fields = [](const modbus::Dissection& d) {
    // a checksum or a length of the frame is wrong either way
    return std::count_if(d.fields.begin(), d.fields.end(), [](const auto& f) {
      return f.wrong && f.name != "CRC" && f.name != "LRC" && f.name != "length";
    });
  };
  const auto fits = [&](const modbus::Dissection& own, const modbus::Dissection& other) {
    if (!own.problem) return true;
    return other.problem.has_value() && wrong_fields(own) <= wrong_fields(other);
  };
  const bool as_request = as == "request" || (as.empty() && fits(request, reply));
  const bool as_reply = as == "reply" || (as.empty() && fits(reply, request));
  if (as_request) {
    answer.request = bytes;
    answer.request_fields = std::move(request);
  }
  if (as_reply) {
    answer.reply = bytes;
    answer.reply_fields = std::move(reply);
  }
  return answer;
}

void print_decoded(const files::FrameAnswer& answer, const modbus::Bytes& bytes,
                   const Terminal& terminal) {
  const Framing framing = answer.framing;
  if (!answer.request.empty()) {
    terminal.out << part_text("as a request", bytes, answer.request_fields, framing, terminal)
                 << problem_text(answer, bytes, answer.request_fields, Direction::request);
  }
  if (!answer.reply.empty()) {
    terminal.out << (answer.request.empty() ? "" : "\n")
                 << part_text("as a reply", bytes, answer.reply_fields, framing, terminal)
                 << problem_text(answer, bytes, answer.reply_fields, Direction::reply);
  }
}

// The points of a block, and where each lies in the controller.
void add_points(const model::ResolvedPlan& plan, const model::ExchangeTransaction& t, bool is_read,
                const model::TagCoverage& tags, std::vector<files::FramePoint>& points) {
  const auto& block = is_read ? t.read : t.write;
  const auto& memory = is_read ? t.into : t.from;
  const model::RegisterMap* map = plan.map_of(t.target);
  if (!block || map == nullptr) return;
  const bool bits = is_bit_area(block->area);
  for (const model::Point* p : map->points_touching(block->area, block->extent())) {
    const model::Extent value = extent_of(*p);
    files::FramePoint point{range_text(block->area, value),
                            plan.manual_address(t.target.index, p->address),
                            p->name,
                            to_text(p->type),
                            p->unit,
                            {}};
    const bool whole = value.first >= block->offset && value.end <= block->extent().end;
    const bool words = memory && plan.plan.controllers[t.controller].memory[memory->area].kind ==
                                     model::MemoryKind::word;
    if (whole && memory && bits != words) {
      const std::uint64_t width = bits ? 1 : model::bits_per_word;
      model::BitRange at = memory->bits;
      at.first += (value.first - block->offset) * width;
      at.end = at.first + (value.end - value.first) * width;
      if (p->bit) {
        at.first += *p->bit;
        at.end = at.first + 1;
      }
      point.memory = plan.layouts[t.controller].name_of(at);
      point.tag = fmt::format("{}", fmt::join(tags.names_in(t.controller, at), ", "));
    }
    points.push_back(std::move(point));
  }
}

std::string points_text(const std::vector<files::FramePoint>& points, const Terminal& terminal) {
  if (points.empty()) return {};
  std::string text = tinted(terminal, Tint::bold, "points") + "\n";
  for (const files::FramePoint& p : points) {
    const std::string memory = p.tag.empty() ? p.memory : fmt::format("{}  {}", p.memory, p.tag);
    text += fmt::format("  {:<17} {:<8} {:<24} {:<8} {:<8} {}\n", p.registers, p.manual,
                        shown(p.name), p.type, shown(p.unit), shown(memory));
  }
  return text + "\n";
}

// The parts of a frame that do not change with values: of a reply how long it is and what it
// answers, of a request all but what is written.
bool same_but_for_values(const modbus::Bytes& bytes, const modbus::Bytes& planned, bool is_request,
                         model::FunctionCode function, Framing framing) {
  // a transaction number counts up; checksums follow the values
  const std::size_t head = framing == Framing::tcp ? 2 : 0;
  const std::size_t unit = framing == Framing::tcp ? 6 : framing == Framing::ascii ? 1 : 0;
  const std::size_t width = framing == Framing::ascii ? 2 : 1;
  const bool values = is_request ? model::writes(function) : true;
  if (bytes.size() != planned.size()) return false;
  // unit and function; then address and quantity of requests, the byte count of replies
  const bool single = model::writes_single(function);
  const std::size_t fixed = !is_request ? (model::reads(function) ? 3
                                           : single               ? 4
                                                                  : 6)
                            : single    ? 4
                                        : 6;
  const std::size_t end = values ? std::min(bytes.size(), unit + fixed * width) : bytes.size();
  return std::equal(bytes.begin() + static_cast<std::ptrdiff_t>(head),
                    bytes.begin() + static_cast<std::ptrdiff_t>(end),
                    planned.begin() + static_cast<std::ptrdiff_t>(head));
}

// Transactions of the plan whose request or reply the bytes are.
void find_transactions(const model::ResolvedPlan& plan, const modbus::Bytes& bytes,
                       files::FrameAnswer& answer) {
  for (const model::ExchangeTransaction& t : plan.exchange.transactions) {
    const auto frames = modbus::planned_frames(t);
    if (!frames || frames->framing != answer.framing) continue;
    const bool request =
        !answer.request.empty() &&
        same_but_for_values(bytes, frames->request, true, t.function, answer.framing);
    const bool reply = !answer.reply.empty() && !frames->reply.empty() &&
                       same_but_for_values(bytes, frames->reply, false, t.function, answer.framing);
    if (!request && !reply) continue;
    answer.transactions.push_back(t.name);
    if (answer.transactions.size() == 1) {
      const model::TagCoverage tags(plan);
      add_points(plan, t, true, tags, answer.points);
      add_points(plan, t, false, tags, answer.points);
    }
  }
}

// Which transaction the bytes belong to.
void print_whose(const files::FrameAnswer& answer, const Terminal& terminal) {
  if (answer.transactions.empty()) {
    terminal.out << "\nno transaction of the plan sends or gets this frame\n";
    return;
  }
  terminal.out << fmt::format("\nof the plan: {}{}\n", shown(answer.transactions.front()),
                              answer.transactions.size() == 1
                                  ? std::string()
                                  : fmt::format(", or {} more that look the same",
                                                answer.transactions.size() - 1))
               << points_text(answer.points, terminal);
}

// `plan` may be null.
int decode(const FrameOptions& options, const model::ResolvedPlan* plan, const Terminal& terminal) {
  const auto framing = framing_named(options.mode);
  if (!framing) {
    return usage_error(terminal,
                       options.mode.empty()
                           ? std::string("--decode needs to know the mode: add --mode rtu, "
                                         "ascii or tcp")
                           : fmt::format("'{}' is no mode; write --mode rtu, ascii or tcp",
                                         options.mode.substr(0, 40)));
  }
  const auto bytes = pasted_bytes(options.decode, *framing);
  if (!bytes) {
    return usage_error(terminal,
                       fmt::format("{} at character {}; write pairs of hexadecimal digits, as "
                                   "01 03 00 00 00 0A C5 CD",
                                   bytes.error().message, bytes.error().at + 1));
  }
  constexpr std::size_t longest_pasted = 1024;
  if (bytes->empty() || bytes->size() > longest_pasted) {
    return usage_error(terminal,
                       fmt::format("{} bytes given; a frame has 4 to 513, as 01 03 00 00 00 0A "
                                   "C5 CD",
                                   bytes->size()));
  }
  files::FrameAnswer answer = decoded(*bytes, *framing, options.as);
  if (plan != nullptr) find_transactions(*plan, *bytes, answer);
  const bool good = (!answer.request.empty() && !answer.request_fields.problem) ||
                    (!answer.reply.empty() && !answer.reply_fields.problem);
  if (options.format == "csv") {
    terminal.out << files::table_csv(files::fields_table({answer}));
  } else if (options.format == "json") {
    terminal.out << files::frames_json({answer}, true);
  } else {
    print_decoded(answer, *bytes, terminal);
    if (plan != nullptr) print_whose(answer, terminal);
  }
  return good ? exit_fine : exit_findings;
}

// "slave.point=33.5", as a row of a table of values.
tl::expected<std::vector<engine::StatedValue>, std::string> stated_with(
    const model::ResolvedPlan& plan, const std::vector<std::string>& texts) {
  std::vector<engine::StatedValue> out;
  for (const std::string& text : texts) {
    const std::size_t equals = text.find('=');
    if (equals == std::string::npos) {
      return tl::unexpected(fmt::format("--with {}: write slave.point=33.5", text.substr(0, 60)));
    }
    const auto quoted = [](const std::string& cell) {
      std::string in = "\"";
      for (const char c : cell) in += c == '"' ? std::string("\"\"") : std::string(1, c);
      return in + "\"";
    };
    auto rows = files::read_value_line(
        quoted(text.substr(0, equals)) + "," + quoted(text.substr(equals + 1)), 1, plan);
    if (!rows) {
      const model::Finding& first = rows.error().front();
      return tl::unexpected(
          fmt::format("--with {}: {}; {}", text.substr(0, 60), first.message, first.remedy));
    }
    out.insert(out.end(), rows->begin(), rows->end());
  }
  return out;
}

tl::expected<files::FrameAnswer, std::string> answer_for(
    const model::ResolvedPlan& plan, std::size_t index,
    const std::vector<engine::StatedValue>& values) {
  const std::string& name = plan.transaction_name(index);
  const model::ExchangeTransaction* t = plan.exchange.find(index);
  if (t == nullptr) {
    return tl::unexpected(fmt::format("{} is not complete enough for a frame", name));
  }
  const auto frames = engine::stated_frames(plan, *t, values);
  if (!frames) return tl::unexpected(frames.error());
  files::FrameAnswer answer;
  answer.name = name;
  answer.data = !values.empty()        ? "data as they are stated, all others 0"
                : t->constants.empty() ? "the values are not known at the desk: all data are 0"
                                       : "all data are 0 but for what is always sent";
  answer.framing = frames->framing;
  answer.request = frames->request;
  answer.reply = frames->reply;
  answer.request_fields = modbus::dissect(frames->request, frames->framing, Direction::request);
  if (!frames->reply.empty()) {
    answer.reply_fields =
        modbus::dissect(frames->reply, frames->framing, Direction::reply, frames->reply_first);
  }
  answer.times = timing::transaction_times(plan.exchange, *t);
  const model::TagCoverage tags(plan);
  add_points(plan, *t, true, tags, answer.points);
  add_points(plan, *t, false, tags, answer.points);
  return answer;
}

void print_answer(const files::FrameAnswer& answer, bool with_fields, const Terminal& terminal) {
  if (!with_fields) {
    terminal.out << fmt::format(
        "{}  ({})\n  request {}\n", shown(answer.name), files::mode_name(answer.framing),
        folded(bytes_text(answer.request, answer.framing), 10, 10, terminal.width));
    terminal.out << fmt::format("  reply   {} {}, data 0\n", answer.reply.size(),
                                answer.framing == Framing::ascii ? "characters" : "bytes");
    return;
  }
  terminal.out << fmt::format("{}  ({}; {})\n\n", tinted(terminal, Tint::bold, shown(answer.name)),
                              files::mode_name(answer.framing), answer.data);
  terminal.out << points_text(answer.points, terminal);
  terminal.out << part_text("request", answer.request, answer.request_fields, answer.framing,
                            terminal)
               << "\n";
  if (answer.reply.empty()) {
    terminal.out << "no reply: it is a broadcast\n";
  } else {
    terminal.out << part_text("expected reply", answer.reply, answer.reply_fields, answer.framing,
                              terminal);
  }
  if (answer.times) terminal.out << "\n" << times_text(*answer.times);
}

}  // namespace

int run_frame(const FrameOptions& options, const Terminal& terminal) {
  if (!options.with.empty() && (!options.decode.empty() || options.name.empty())) {
    return usage_error(terminal, "--with puts values into the frames of one transaction: name it");
  }
  if (!options.decode.empty()) {
    if (!options.name.empty()) {
      return usage_error(terminal, "with --decode a plan is searched: leave the name out");
    }
    if (options.plan.empty()) return decode(options, nullptr, terminal);
    const UsablePlan usable = load_usable_plan(options.plan, terminal);
    if (usable.refused) return *usable.refused;
    return decode(options, &usable.loaded.plan, terminal);
  }
  if (options.plan.empty()) {
    return usage_error(terminal,
                       "a plan or bytes are needed: greymet frame plan.toml NAME, or greymet "
                       "frame --decode 01 03 00 00 00 0A C5 CD --mode rtu");
  }
  const UsablePlan usable = load_usable_plan(options.plan, terminal);
  if (usable.refused) return *usable.refused;
  const model::ResolvedPlan& plan = usable.loaded.plan;
  const auto values = stated_with(plan, options.with);
  if (!values) return usage_error(terminal, values.error());
  std::vector<files::FrameAnswer> answers;
  std::vector<std::string_view> names;
  for (std::size_t index = 0; index < plan.transactions.size(); ++index) {
    names.emplace_back(plan.transaction_name(index));
    if (!options.name.empty() && options.name != names.back()) continue;
    auto answer = answer_for(plan, index, *values);
    if (answer) {
      answers.push_back(std::move(*answer));
    } else {
      terminal.err << fmt::format("greymet: {}\n", shown(answer.error()));
      if (!options.name.empty()) return exit_findings;
    }
  }
  if (answers.empty() && !options.name.empty()) {
    return usage_error(terminal,
                       fmt::format("the plan has no transaction '{}'{}", options.name.substr(0, 60),
                                   shown(model::nearest_or_example(options.name, names))));
  }
  const bool only_one = !options.name.empty();
  if (options.format != "text") {
    terminal.out << (options.format == "csv" ? files::table_csv(files::fields_table(answers))
                                             : files::frames_json(answers, only_one));
    return exit_fine;
  }
  for (const files::FrameAnswer& answer : answers) print_answer(answer, only_one, terminal);
  return exit_fine;
}

Action declare_frame(CLI::App& command, const Terminal& terminal) {
  const auto options = std::make_shared<FrameOptions>();
  command.add_option("PLAN", options->plan, plan_help);
  command.add_option("NAME", options->name, "a transaction; all in short if left out");
  command
      .add_option("--with", options->with,
                  "a value in the frames of NAME, e.g. air.pressure_set=6.2 or kiln.%MW100=7")
      ->type_name("WHERE=VALUE");
  command.add_option("--decode", options->decode, "bytes to decode, e.g. 01 03 00 00 00 0A C5 CD")
      ->type_name("HEX");
  command.add_option("--mode", options->mode, "with --decode: rtu, ascii or tcp")
      ->type_name("MODE");
  command.add_option("--as", options->as, "with --decode: request or reply, where both would fit")
      ->check(CLI::IsMember({"request", "reply"}))
      ->type_name("WHAT");
  add_format(command, options->format, {csv_format});
  return [options, &terminal] { return run_frame(*options, terminal); };
}

}  // namespace greymet::cli
