#include "proposal_parts.h"

#include <algorithm>
#include <array>

#include "files/csv_reader.h"
#include "model/address.h"

namespace greymet::editor::internal {

namespace {

constexpr std::array<Template, 6> sections{{
    {"slave", "a slave on a line",
     "[slave.${1:name}]\nline      = \"${2}\"\nunit      = ${3:1}\nmap       = "
     "\"maps/${1:name}.csv\"\n"
     "numbering = \"${4:from-0}\"\n"},
    {"slave-tcp", "a slave at a host",
     "[slave.${1:name}]\nhost      = \"${2}\"\nmap       = \"maps/${1:name}.csv\"\n"
     "numbering = \"${3:from-0}\"\n"},
    {"line", "a serial line",
     "[line.${1:name}]\nmaster = \"${2}\"\nmode   = \"${3:rtu}\"\nbaud   = ${4:19200}\n"
     "format = \"${5:8E1}\"\n"},
    {"controller", "a controller with its memory",
     "[controller.${1:name}]\nscan = \"${2:10ms}\"\n[controller.${1:name}.memory]\n"
     "\"%MW\" = { kind = \"word\", count = ${3:8000} }\n"
     "\"%MX\" = { kind = \"bit\", count = ${4:4096} }\n"},
    {"exchange", "the list of transactions", "[exchange]\ntransactions = [\n  $1\n]\n"},
    {"heartbeat", "a heartbeat between controllers",
     "[[supervision.heartbeats]]\nname   = \"${1:alive}\"\nfrom   = \"${2}\"\nbit    = \"${3}\"\n"
     "toggle = \"${4:500ms}\"\nto     = \"${5}\"\nwatch  = \"${6:3s}\"\nreact  = \"${7:5s}\"\n"},
}};

constexpr std::array<Template, 2> rows{{
    {"read", "a cyclic read",
     "{ name = \"${1:name}\", slave = \"${2}\", fc = ${3:3}, at = ${4:0}, count = ${5:1}, into = "
     "\"${6:%MW}\", every = \"${7:1s}\", on_loss = \"${8:hold}\" },"},
    {"write", "a cyclic write",
     "{ name = \"${1:name}\", slave = \"${2}\", fc = ${3:16}, at = ${4:0}, count = ${5:1}, from = "
     "\"${6:%MW}\", every = \"${7:1s}\" },"},
}};

}  // namespace

std::span<const Template> section_templates() {
  return sections;
}

std::span<const Template> row_templates() {
  return rows;
}

Proposals proposals_in_table(const PlanView& view, std::string_view text, TableKind kind,
                             std::size_t byte) {
  Proposals out;
  const std::size_t before = byte == 0 ? std::string_view::npos : text.rfind('\n', byte - 1);
  const std::size_t line = before == std::string_view::npos ? 0 : before + 1;
  const std::string_view heading = text.substr(0, text.find('\n'));
  const char delimiter = heading.find(';') != std::string_view::npos    ? ';'
                         : heading.find('\t') != std::string_view::npos ? '\t'
                                                                        : ',';
  std::size_t begin = line;
  std::size_t column = 0;
  for (std::size_t at = line; at < byte; ++at) {
    if (text[at] != delimiter) continue;
    ++column;
    begin = at + 1;
  }
  std::size_t end = byte;
  while (end < text.size() && text[end] != delimiter && text[end] != '\n' && text[end] != '\r')
    ++end;
  out.replaced = {begin, end};
  const auto table = files::read_csv(std::string(heading), 0, delimiter);
  if (!table || line == 0 || column >= table->header.size()) return out;
  const std::string& name = table->header[column].text;
  const auto add = [&](std::string_view word, std::string detail) {
    out.list.push_back(
        {std::string(word), std::move(detail), {}, std::string(word), false, ProposalKind::word});
  };
  if (kind == TableKind::map && name == "area") {
    for (const model::Area area : {model::Area::coil, model::Area::discrete_input,
                                   model::Area::input_register, model::Area::holding_register}) {
      add(short_name(area), std::string(long_name(area)));
    }
  } else if (name == "type") {
    if (kind == TableKind::map) {
      for (const char* type : {"bool", "u16", "i16", "u32", "i32", "f32", "u64", "i64", "f64",
                               "bcd16", "bcd32", "bits", "text(8)"}) {
        add(type, {});
      }
    } else {
      for (const char* type : {"BOOL", "INT", "UINT", "DINT", "UDINT", "LINT", "ULINT", "REAL",
                               "LREAL", "WORD", "DWORD", "LWORD"}) {
        add(type, {});
      }
    }
  } else if (name == "word_order") {
    for (const char* order : {"ABCD", "CDAB", "BADC", "DCBA"}) add(order, {});
  } else if (kind == TableKind::map && name == "access") {
    add("r", "read");
    add("w", "write");
    add("rw", "read and write");
  } else if (kind == TableKind::tags && (name == "from" || name == "to")) {
    for (const model::Slave& slave : view.plan().plan.slaves) {
      if (!slave.map) continue;
      for (const model::Point& point : view.plan().plan.maps[*slave.map].points()) {
        if (out.list.size() >= most_proposed) break;
        add(slave.name + "." + point.name, to_text(point.type));
      }
    }
  } else if (kind == TableKind::transactions && name == "slave") {
    for (const model::Slave& slave : view.plan().plan.slaves) add(slave.name, {});
  }
  return out;
}

}  // namespace greymet::editor::internal
