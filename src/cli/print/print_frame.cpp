#include "cli/print_frame.h"

#include <fmt/format.h>

#include "cli/terminal.h"
#include "model/duration_text.h"

namespace greymet::cli {

using modbus::Direction;
using modbus::Framing;
using model::in_ms;

std::string bytes_text(const modbus::Bytes& bytes, Framing framing) {
  if (framing != Framing::ascii) return modbus::to_hex(bytes);
  std::string text;
  for (std::byte b : bytes) {
    const auto c = std::to_integer<char>(b);
    text += c == '\r' ? std::string("<CR>") : c == '\n' ? std::string("<LF>") : std::string(1, c);
  }
  return shown(text);
}

namespace {

std::string fields_text(const modbus::Dissection& dissection, Framing framing,
                        const Terminal& terminal) {
  std::string text;
  for (const modbus::Field& field : dissection.fields) {
    std::string bytes = bytes_text(field.bytes, framing);
    constexpr std::size_t widest = 20;
    if (bytes.size() > widest) bytes.replace(widest - 3, std::string::npos, "...");
    const std::string line =
        fmt::format("  {:>4}  {:<20}  {:<16}  {}", field.at, bytes, field.name, shown(field.value));
    text += tinted(terminal, field.wrong ? Tint::red : Tint::none,
                   field.wrong ? fmt::format("{}  <- wrong", line) : line);
    text += '\n';
  }
  return text;
}

}  // namespace

std::string part_text(std::string_view what, const modbus::Bytes& bytes,
                      const modbus::Dissection& dissection, Framing framing,
                      const Terminal& terminal) {
  std::string text = tinted(terminal, Tint::bold,
                            fmt::format("{}, {} {}", what, bytes.size(),
                                        framing == Framing::ascii ? "characters" : "bytes"));
  text += fmt::format("\n  {}\n", folded(bytes_text(bytes, framing), 2, 2, terminal.width));
  return text + fields_text(dissection, framing, terminal);
}

std::string times_text(const timing::TransactionTimes& times) {
  std::string text;
  if (times.serial) {
    const timing::SerialParts& serial = *times.serial;
    text += fmt::format("on the line: request {}, then {} to {}, reply {}, gap {}\n",
                        in_ms(serial.request), in_ms(serial.turnaround_typical),
                        in_ms(serial.turnaround_longest), in_ms(serial.reply), in_ms(serial.gap));
    const auto silence = serial.request_silence + serial.reply_silence;
    if (serial.latency_longest + silence > timing::Duration{}) {
      text +=
          fmt::format("besides: latency of the port up to {}, silence inside the frames up to {}\n",
                      in_ms(serial.latency_longest), in_ms(silence));
    }
  }
  text += fmt::format(
      "in all: {} typical, {} longest{}\n", in_ms(times.typical), in_ms(times.longest),
      times.assumed.contains(model::FactKind::reply) ? ", with the default reply time" : "");
  return text;
}

std::string problem_text(const files::FrameAnswer& answer, const modbus::Bytes& bytes,
                         const modbus::Dissection& dissection, Direction direction) {
  const auto& problem = dissection.problem;
  if (!problem) return "the frame is good\n";
  std::string text =
      fmt::format("wrong at byte {} ({}): {}\n", problem->at, problem->field, problem->message);
  const bool checksum =
      answer.framing == Framing::rtu && problem->fault == modbus::DecodeFault::checksum;
  const auto repair = checksum ? modbus::single_byte_repair(bytes, direction) : std::nullopt;
  if (repair) {
    text += fmt::format(
        "if a single byte was disturbed, it is byte {}: {:02X} where {:02X} was sent\n", repair->at,
        std::to_integer<unsigned>(repair->found), std::to_integer<unsigned>(repair->expected));
  }
  return text;
}

}  // namespace greymet::cli
