#include "files/answers_tables.h"

#include <cmath>

#include <fmt/format.h>

namespace greymet::files {

namespace {

tables::Cell raw_cell(const modbus::RawValue& raw, model::DataType type) {
  if (type.kind == model::TypeKind::bits) return tables::text(modbus::to_text(raw, type));
  return std::visit(
      [](const auto& v) -> tables::Cell {
        using T = std::decay_t<decltype(v)>;
        if constexpr (std::is_same_v<T, double>) {
          return std::isfinite(v) ? tables::Cell(v) : tables::Cell();
        } else if constexpr (std::is_same_v<T, std::uint64_t>) {
          // beyond what a whole number holds it stays exact as a text
          return v > static_cast<std::uint64_t>(INT64_MAX) ? tables::text(std::to_string(v))
                                                           : tables::whole(v);
        } else {
          return tables::Cell(v);
        }
      },
      raw);
}

}  // namespace

tables::Table addresses_table(const std::vector<AddressQuestion>& questions) {
  tables::Table out{
      "addresses",
      "no text reads as an address",
      {{"text", "text", tables::Kind::text, "as it was given", 9, {}, true},
       {"area", "area", tables::Kind::text, "area that it can be in", 9},
       {"offset", "offset", tables::Kind::whole, "protocol address", 9},
       {"hex", "hex", tables::Kind::text, "the same in base 16", 6},
       {"reference5", "5 digits", tables::Kind::text, "as a reference of five digits", 5},
       {"reference6", "6 digits", tables::Kind::text, "as a reference of six digits", 7},
       {"from_1", "from 1", tables::Kind::whole, "where the first is called 1", 5},
       {"bit", "bit", tables::Kind::whole, "of the register", 6},
       {"point", "point", tables::Kind::text, "of the slave's map", 7},
       {"points", "points", tables::Kind::words, "all that lie there", 3},
       {"tags", "tags", tables::Kind::words, "of the program", 5},
       {"reading", "reading", tables::Kind::text, "how the text was read", 6},
       {"planned", "write", tables::Kind::text, "the `at` that the plan reads so", 5},
       {"functions", "functions", tables::Kind::words, "codes that reach it", 4},
       {"doubts", "doubts", tables::Kind::words, "why there are several readings", 2}},
      {}};
  for (const AddressQuestion& question : questions) {
    for (const model::AddressAnswer& answer : question.found.answers) {
      tables::Words functions;
      for (const model::FunctionTraits& f : model::all_functions()) {
        if (f.area == answer.address.area) functions.push_back(std::to_string(number_of(f.code)));
      }
      const auto offset = answer.address.offset.value;
      out.add({tables::text(question.text), tables::text(short_name(answer.address.area)),
               tables::whole(offset), tables::text(fmt::format("0x{:04X}", offset)),
               tables::maybe(reference5(answer.address)), tables::text(reference6(answer.address)),
               tables::whole(std::uint32_t{offset} + 1),
               answer.bit ? tables::whole(*answer.bit) : tables::Cell(),
               answer.points.empty() ? tables::Cell() : tables::text(answer.points.front()),
               tables::Words(answer.points), tables::Words(answer.tags), answer.how,
               tables::text(answer.planned), std::move(functions),
               tables::Words(question.found.doubts)});
    }
  }
  return out;
}

tables::Table readings_table(const modbus::ValueQuestion& question,
                             const std::vector<modbus::ValueReading>& readings) {
  tables::Table out{
      "readings",
      "the words have no reading",
      {{"order", "order", tables::Kind::text, "of bytes and words", 9},
       {"value", "value", tables::Kind::text, "what they hold", 9},
       {"plausible", "plausible", tables::Kind::flag, "near what --near says", 7},
       {"engineering", "engineering", tables::Kind::number, "value * factor + offset", 8},
       {"problem", "problem", tables::Kind::text, "why there is none", 6}},
      {}};
  for (const modbus::ValueReading& r : readings) {
    const bool finite = r.engineering && std::isfinite(*r.engineering);
    out.add({tables::text(to_string(r.order)),
             r.raw ? raw_cell(*r.raw, question.type) : tables::Cell(),
             question.near ? tables::Cell(r.plausible) : tables::Cell(),
             finite ? tables::Cell(*r.engineering) : tables::Cell(), tables::text(r.problem)});
  }
  return out;
}

tables::Table fields_table(const std::vector<FrameAnswer>& frames) {
  tables::Table out{"fields",
                    "there is no frame",
                    {{"frame",
                      "frame",
                      tables::Kind::text,
                      "the transaction; nothing for pasted bytes",
                      9,
                      {},
                      true},
                     {"of", "of", tables::Kind::text, "request or reply", 9},
                     {"at", "at", tables::Kind::whole, "byte, in ASCII character, from 0", 8},
                     {"bytes", "bytes", tables::Kind::text, "as they are sent", 9},
                     {"name", "field", tables::Kind::text, "what they are", 9},
                     {"value", "value", tables::Kind::text, "what they say", 8},
                     {"wrong", "wrong", tables::Kind::flag, "they are not as they should be", 7}},
                    {}};
  for (const FrameAnswer& frame : frames) {
    for (const bool reply : {false, true}) {
      for (const modbus::Field& field :
           (reply ? frame.reply_fields : frame.request_fields).fields) {
        out.add({tables::text(frame.name), tables::text(reply ? "reply" : "request"),
                 tables::whole(field.at), tables::text(modbus::to_hex(field.bytes)), field.name,
                 field.value, field.wrong},
                field.wrong ? tables::Mood::bad : tables::Mood::plain);
      }
    }
  }
  return out;
}

tables::Table samples_table(const LogTrends& trends) {
  tables::Table out{"samples",
                    "the log has no value of them",
                    {{"where", "where", tables::Kind::text, "the point", 9, {}, true},
                     {"unit", "unit", tables::Kind::text, "of the value", 7, {}, true},
                     {"time_s", "time", tables::Kind::number, "from the start of the log", 9, "s"},
                     {"value", "value", tables::Kind::number, "at that time", 9},
                     {"way", "way", tables::Kind::text, "read or written", 7},
                     {"act", "act", tables::Kind::text,
                      "of the rehearsal; in blocks the value is one of its own", 7}},
                    {}};
  const auto act_at = [&](double time) {
    for (const TrendAct& act : trends.acts) {
      if (time >= act.from_s && time < act.to_s) return act.name;
    }
    return std::string();
  };
  for (const Trend& trend : trends.trends) {
    const auto add = [&](const std::vector<double>& times, const std::vector<double>& values,
                         const char* way) {
      for (std::size_t i = 0; i < values.size(); ++i) {
        out.add({tables::text(trend.of.where), tables::text(trend.of.unit), times[i], values[i],
                 tables::text(way), tables::text(act_at(times[i]))});
      }
    };
    add(trend.time_s, trend.value, "read");
    add(trend.write_time_s, trend.written, "written");
  }
  return out;
}

tables::Table trends_table(const LogTrends& trends) {
  using tables::Kind;
  tables::Table out{"trends",
                    "nothing was asked for",
                    {{"where", "where", Kind::text, "the point", 9},
                     {"unit", "unit", Kind::text, "of the values", 8},
                     {"samples", "samples", Kind::whole, "times that it was read", 9},
                     {"writes", "writes", Kind::whole, "times that it was written", 5},
                     {"first", "first", Kind::number, "value that was read", 4},
                     {"last", "last", Kind::number, "value that was read", 8},
                     {"least", "least", Kind::number, "of all that was read", 9},
                     {"mean", "mean", Kind::number, "of all samples, each counted once", 8},
                     {"most", "most", Kind::number, "of all that was read", 9},
                     {"gaps", "gaps", Kind::whole, "times in which nothing was known of it", 7},
                     {"longest_gap_s", "longest gap", Kind::number, "between two samples", 8, "s"}},
                    {}};
  for (const Trend& trend : trends.trends) {
    const auto summary = summary_of(trend, trends.end_s);
    const auto number = [&](double value) {
      return summary ? tables::Cell(value) : tables::Cell();
    };
    const bool any = summary.has_value();
    out.add({tables::text(trend.of.where), tables::text(trend.of.unit),
             tables::whole(trend.value.size()), tables::whole(trend.written.size()),
             number(any ? trend.value.front() : 0), number(any ? trend.value.back() : 0),
             number(any ? summary->least : 0), number(any ? summary->mean : 0),
             number(any ? summary->most : 0), tables::whole(gaps_of(trend, trends.end_s).size()),
             number(any ? summary->longest_gap_s : 0)});
  }
  return out;
}

}  // namespace greymet::files
