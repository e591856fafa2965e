#include <algorithm>
#include <memory>

#include <fmt/format.h>

#include "files/answers_json.h"
#include "files/answers_tables.h"
#include "files/table_csv.h"
#include "line/command_line.h"

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

int run_value(const ValueOptions& options, const Terminal& terminal) {
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
  command
      .add_option("HEX", options->words,
                  "register words as they arrive, e.g. 42F6 E979 (hexadecimal; see --dec)")
      ->required();
  command
      .add_option("--type", options->type, "as in a register map: f32, u32, bcd16, text(12) ...")
      ->required()
      ->type_name("TYPE");
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
