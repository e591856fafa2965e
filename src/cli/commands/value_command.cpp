#include <algorithm>
#include <memory>

#include <fmt/format.h>

#include "cli/print.h"
#include "cli/print_frame.h"
#include "files/answers_json.h"
#include "files/answers_tables.h"
#include "files/table_csv.h"
#include "files/wire_tables.h"
#include "line/command_line.h"
#include "modbus/value_writing.h"
#include "model/resolved_plan.h"

namespace greymet::cli {
namespace {

std::string readings_text(const modbus::ValueQuestion& question,
                          const std::vector<modbus::ValueReading>& readings, bool scaled,
                          const Terminal& terminal) {
  std::string text;
  for (const modbus::ValueReading& r : readings) {
    const bool plain = readings.size() == 1;
    std::string value =
        r.raw ? shown(modbus::to_text(*r.raw, question.type)) : fmt::format("- ({})", r.problem);
    if (question.type.kind == model::TypeKind::text && r.raw) value = fmt::format("\"{}\"", value);
    std::string line = fmt::format("{}  {}", plain ? "    " : to_string(r.order), value);
    if (scaled && r.engineering) line += fmt::format("  = {}", r.engineering_text);
    if (r.plausible) {
      line = tinted(terminal, Tint::bold, fmt::format("{}  <- near {}", line, *question.near));
    }
    text += line;
    text += '\n';
  }
  return text;
}

}  // namespace

// The other way: the words that a value is written as.
namespace {

// The request that writes a point of a plan alone.
std::string request_text(const model::ResolvedPlan& plan, std::size_t slave,
                         const model::Point& point, const std::vector<std::uint16_t>& words) {
  const auto function = model::writing_function_of(plan.exchange.slaves[slave], point.address.area,
                                                   static_cast<std::uint32_t>(words.size()));
  if (!function) return {};
  modbus::Request request;
  request.function = *function;
  request.offset = static_cast<std::uint16_t>(model::extent_of(point).first);
  request.registers = words;
  const auto pdu = modbus::encode_request(request);
  const model::Endpoint to = model::endpoint_of_slave(plan, slave);
  if (!pdu || !to.unit || to.unit->value > 255) return {};
  const auto frame =
      modbus::encode_frame({static_cast<std::uint8_t>(to.unit->value), 1, *pdu}, to.framing);
  return frame ? fmt::format("request ({}): {}", files::mode_name(to.framing),
                             bytes_text(*frame, to.framing))
               : std::string();
}

tl::expected<modbus::ValueForm, std::string> form_of(const ValueOptions& options) {
  if (options.type.empty()) return tl::unexpected(std::string("say what it is: --type i16"));
  const auto type = model::data_type_from(options.type);
  if (!type || type->kind == model::TypeKind::boolean) {
    return tl::unexpected(fmt::format("'{}' is no type of whole registers; write --type i16",
                                      options.type.substr(0, 40)));
  }
  if (options.factor == 0) {
    return tl::unexpected(std::string("a factor of 0 leaves nothing; write e.g. 0.1"));
  }
  return modbus::ValueForm{*type, options.factor, options.offset, {}, {}};
}

int print_words(const modbus::ValueForm& form, const modbus::WrittenValue& written,
                std::optional<model::WordOrder> own, const std::string& of,
                const Terminal& terminal) {
  const bool one = registers_of(form.type) == 1 && form.type.kind != model::TypeKind::text;
  std::string text;
  if (written.rounded) {
    text += fmt::format("rounded: the device then has {}\n", written.text);
  }
  using model::WordOrder;
  for (const WordOrder order :
       {WordOrder::abcd, WordOrder::cdab, WordOrder::badc, WordOrder::dcba}) {
    const auto words = modbus::encode_value(written.raw, form.type, order);
    if (!words) return usage_error(terminal, words.error());
    std::string hex;
    std::string decimal;
    for (const std::uint16_t word : *words) {
      hex += fmt::format("{}{:04X}", hex.empty() ? "" : " ", word);
      decimal += fmt::format("{}{}", decimal.empty() ? "" : " ", word);
    }
    std::string line = fmt::format("{}  {}  = {}", one ? "    " : to_string(order), hex, decimal);
    if (!one && own == order) {
      line = tinted(terminal, Tint::bold, fmt::format("{}  <- as {} takes it", line, of));
    }
    text += line + "\n";
    if (one) break;
  }
  terminal.out << text;
  return exit_fine;
}

int run_value_of_point(const ValueOptions& options, const Terminal& terminal) {
  if (options.point.empty() || options.plan.empty()) {
    return usage_error(terminal, "a point of a plan takes both: --plan PLAN --point SLAVE.POINT");
  }
  if (!options.type.empty()) {
    return usage_error(terminal, "the map says the type of a point: leave --type out");
  }
  const UsablePlan usable = load_usable_plan(options.plan, terminal);
  if (usable.refused) return *usable.refused;
  const model::ResolvedPlan& plan = usable.loaded.plan;
  const auto spot = files::read_spot(options.point, plan);
  if (!spot) return usage_error(terminal, spot.error());
  if (!spot->slave) return usage_error(terminal, "--point takes a point of a slave");
  const model::Point& point = plan.map_of({false, *spot->slave, 0})->points()[spot->point];
  if (model::is_bit_area(point.address.area) || point.bit) {
    return usage_error(terminal, fmt::format("{} is a bit, and no words", options.point));
  }
  const modbus::ValueForm form{point.type, point.factor, point.offset, point.min, point.max};
  const auto written = modbus::value_to_write(options.to, form);
  if (!written) return usage_error(terminal, written.error());
  const auto order = plan.order_of(*spot->slave, point);
  const std::string& slave = plan.plan.slaves[*spot->slave].name;
  terminal.out << fmt::format("{}: {}{}\n", shown(options.point), written->text,
                              point.unit.empty() ? "" : " " + shown(point.unit));
  const int status = print_words(form, *written, order, slave, terminal);
  const bool one = registers_of(form.type) == 1;
  if (!one && !order) {
    terminal.out << fmt::format("the plan does not say in which order {} takes its words\n", slave);
    return status;
  }
  const auto words =
      modbus::encode_value(written->raw, form.type, order.value_or(model::WordOrder::abcd));
  const std::string request =
      words ? request_text(plan, *spot->slave, point, *words) : std::string();
  if (!request.empty()) terminal.out << request << "\n";
  if (point.access == model::Access::read)
    terminal.out << "the map says that it can only be read\n";
  return status;
}

int run_value_to(const ValueOptions& options, const Terminal& terminal) {
  if (!options.words.empty()) {
    return usage_error(terminal, "--to makes words of a value; leave the words out");
  }
  if (!options.point.empty() || !options.plan.empty()) return run_value_of_point(options, terminal);
  const auto form = form_of(options);
  if (!form) return usage_error(terminal, form.error());
  const auto written = modbus::value_to_write(options.to, *form);
  if (!written) return usage_error(terminal, written.error());
  return print_words(*form, *written, std::nullopt, {}, terminal);
}

}  // namespace

int run_value(const ValueOptions& options, const Terminal& terminal) {
  if (!options.to.empty()) {
    if (options.format != "text") return usage_error(terminal, "--to prints text");
    return run_value_to(options, terminal);
  }
  if (options.words.empty()) {
    return usage_error(terminal, "write the words, e.g. 42F6 E979, or --to VALUE");
  }
  if (!options.plan.empty() || !options.point.empty()) {
    return usage_error(terminal, "--plan and --point are of use with --to alone");
  }
  if (options.type.empty()) return usage_error(terminal, "say what they are: --type f32");
  modbus::ValueQuestion question;
  auto words = options.decimal ? modbus::words_from_decimal(options.words)
                               : modbus::words_from_hex(options.words);
  if (!words) return usage_error(terminal, words.error());
  question.words = std::move(*words);
  auto type = model::data_type_from(options.type);
  if (!type && options.type == "text") {
    type = model::DataType{model::TypeKind::text,
                           static_cast<std::uint32_t>(2 * question.words.size())};
  }
  if (!type) {
    return usage_error(
        terminal, fmt::format("'{}' is no type; write --type f32, or u16 i16 u32 i32 u64 i64 f64 "
                              "bcd16 bcd32 bool bits text(12)",
                              options.type.substr(0, 40)));
  }
  question.type = *type;
  if (options.bit > 15)
    return usage_error(terminal, "a register has bits 0 to 15; write e.g. --bit 3");
  question.bit = options.bit;
  if (options.factor == 0)
    return usage_error(terminal, "a factor of 0 leaves nothing; write e.g. 0.1");
  question.factor = options.factor;
  question.offset = options.offset;
  if (!options.near.empty()) question.near = options.near;
  const auto readings = read_in_all_orders(question);
  if (!readings) return usage_error(terminal, readings.error());
  if (options.format != "text") {
    terminal.out << (options.format == "csv"
                         ? files::table_csv(files::readings_table(question, *readings))
                         : files::value_json(question, *readings));
    return exit_fine;
  }
  const bool scaled = options.factor != 1 || options.offset != 0;
  terminal.out << readings_text(question, *readings, scaled, terminal);
  if (!options.decimal && modbus::may_be_decimal(options.words)) {
    std::vector<std::string> hex;
    for (const std::uint16_t word : question.words) hex.push_back(fmt::format("0x{:04X}", word));
    terminal.out << fmt::format(
        "the words were read as hexadecimal: {}; with --dec they are decimal\n",
        fmt::join(hex, " "));
  }
  const bool none = question.near && std::none_of(readings->begin(), readings->end(),
                                                  [](const auto& r) { return r.plausible; });
  if (none) {
    terminal.out << fmt::format(
        "none is within {:g} % of {}: another type, factor or address may be meant\n",
        100 * modbus::plausible_deviation, shown(*question.near));
  }
  return exit_fine;
}

Action declare_value(CLI::App& command, const Terminal& terminal) {
  const auto options = std::make_shared<ValueOptions>();
  command.add_option("HEX", options->words,
                     "register words as they arrive, e.g. 42F6 E979 (hexadecimal; see --dec)");
  command.add_option("--to", options->to, "the other way: the words that this value is written as")
      ->type_name("VALUE");
  command
      .add_option("--type", options->type, "as in a register map: f32, u32, bcd16, text(12) ...")
      ->type_name("TYPE");
  command
      .add_option("--plan", options->plan,
                  "with --to and --point: the plan, whose map says type, factor and order")
      ->type_name("PLAN");
  command.add_option("--point", options->point, "with --plan: slave.point")->type_name("POINT");
  command.add_flag("--dec", options->decimal, "the words are decimal, e.g. 17142 59769");
  command
      .add_option("--near", options->near,
                  "what the device itself shows; marks the order that fits")
      ->type_name("VALUE");
  command.add_option("--factor", options->factor, "engineering value = raw x factor + offset")
      ->check(number_like("0.1"))
      ->type_name("NUMBER");
  command.add_option("--offset", options->offset, "see --factor")
      ->check(number_like("-40"))
      ->type_name("NUMBER");
  command.add_option("--bit", options->bit, "of a bool in a register, 0 = least significant")
      ->check(number_like("3"))
      ->type_name("NUMBER");
  add_format(command, options->format, {csv_format});
  return [options, &terminal] { return run_value(*options, terminal); };
}

}  // namespace greymet::cli
