// Frames of every function, request, reply and refusal, on TCP and in RTU, as a protocol analyser
// takes them apart, field by field. ASCII is not among the protocols it knows.
#include <array>
#include <map>
#include <sstream>

#include <fmt/format.h>
#include <catch2/catch.hpp>

#include "hex_bytes.h"
#include "modbus/frame.h"
#include "process.h"

using namespace greymet;
using modbus::Bytes;
using modbus::Framing;
using modbus::Reply;
using modbus::Request;
using model::FunctionCode;

namespace {

constexpr unsigned tcp_port = 502;
constexpr unsigned rtu_port = 1502;

// One frame, and what the analyser must say of it: field -> values.
struct Sent {
  Bytes pdu;
  bool is_request = true;
  std::map<std::string, std::string> expected;
};

std::vector<Sent> all_frames() {
  std::vector<Sent> out;
  const auto exchange = [&out](const Request& request, const Reply& reply,
                               std::map<std::string, std::string> asked,
                               std::map<std::string, std::string> answered) {
    const std::string code = fmt::format("{}", model::number_of(request.function));
    asked["modbus.func_code"] = answered["modbus.func_code"] = code;
    out.push_back({*modbus::encode_request(request), true, std::move(asked)});
    out.push_back({*modbus::encode_reply(reply), false, std::move(answered)});
    const auto function = static_cast<std::uint8_t>(request.function);
    for (const unsigned exception : {1U, 2U, 3U, 0x0BU}) {
      out.push_back(
          {modbus::encode_exception({function, static_cast<std::uint8_t>(exception)}),
           false,
           {{"modbus.func_code", code}, {"modbus.exception_code", fmt::format("{}", exception)}}});
    }
  };
  for (const FunctionCode code : {FunctionCode::read_coils, FunctionCode::read_discrete_inputs}) {
    Request request{code, 0x13, 19, 0, {}, {}};
    Reply reply;
    reply.function = code;
    reply.bits = std::vector<bool>(24, true);
    exchange(request, reply, {{"modbus.reference_num", "19"}, {"modbus.bit_cnt", "19"}},
             {{"modbus.byte_cnt", "3"}});
  }
  for (const FunctionCode code :
       {FunctionCode::read_holding_registers, FunctionCode::read_input_registers}) {
    Request request{code, 0x6B, 3, 0, {}, {}};
    Reply reply;
    reply.function = code;
    reply.registers = {555, 0, 65535};
    exchange(request, reply, {{"modbus.reference_num", "107"}, {"modbus.word_cnt", "3"}},
             {{"modbus.byte_cnt", "6"}, {"modbus.regval_uint16", "555,0,65535"}});
  }
  {
    Request request{FunctionCode::write_single_coil, 172, 0, 0, {}, {true}};
    Reply reply;
    reply.function = request.function;
    reply.offset = 172;
    reply.bits = {true};
    exchange(request, reply, {{"modbus.reference_num", "172"}}, {{"modbus.reference_num", "172"}});
  }
  {
    Request request{FunctionCode::write_single_register, 1, 0, 0, {43981}, {}};
    Reply reply;
    reply.function = request.function;
    reply.offset = 1;
    reply.registers = {43981};
    exchange(request, reply, {{"modbus.reference_num", "1"}, {"modbus.data", "abcd"}},
             {{"modbus.reference_num", "1"}, {"modbus.data", "abcd"}});
  }
  {
    Request request{FunctionCode::write_multiple_coils, 19, 0, 0, {}, std::vector<bool>(10, true)};
    Reply reply;
    reply.function = request.function;
    reply.offset = 19;
    reply.quantity = 10;
    exchange(request, reply,
             {{"modbus.reference_num", "19"}, {"modbus.bit_cnt", "10"}, {"modbus.byte_cnt", "2"}},
             {{"modbus.reference_num", "19"}, {"modbus.bit_cnt", "10"}});
  }
  {
    Request request{FunctionCode::write_multiple_registers, 1, 0, 0, {10, 258}, {}};
    Reply reply;
    reply.function = request.function;
    reply.offset = 1;
    reply.quantity = 2;
    exchange(request, reply,
             {{"modbus.reference_num", "1"},
              {"modbus.word_cnt", "2"},
              {"modbus.byte_cnt", "4"},
              {"modbus.regval_uint16", "10,258"}},
             {{"modbus.reference_num", "1"}, {"modbus.word_cnt", "2"}});
  }
  {
    Request request{FunctionCode::mask_write_register, 4, 0, 0, {0xF2, 0x25}, {}};
    Reply reply;
    reply.function = request.function;
    reply.offset = 4;
    reply.registers = {0xF2, 0x25};
    exchange(request, reply,
             {{"modbus.reference_num", "4"},
              {"modbus.and_mask", "0x00f2"},
              {"modbus.or_mask", "0x0025"}},
             {{"modbus.reference_num", "4"}});
  }
  {
    Request request{FunctionCode::read_write_multiple_registers, 3, 2, 14, {255, 256, 257}, {}};
    Reply reply;
    reply.function = request.function;
    reply.registers = {254, 2765};
    exchange(request, reply,
             {{"modbus.read_reference_num", "3"},
              {"modbus.read_word_cnt", "2"},
              {"modbus.write_reference_num", "14"},
              {"modbus.write_word_cnt", "3"},
              {"modbus.byte_cnt", "6"}},
             {{"modbus.byte_cnt", "4"}, {"modbus.data", "00fe0acd"}});
  }
  return out;
}

constexpr std::array<const char*, 18> analysed_fields{
    "modbus.func_code",      "modbus.exception_code",
    "modbus.reference_num",  "modbus.bit_cnt",
    "modbus.word_cnt",       "modbus.byte_cnt",
    "modbus.regval_uint16",  "modbus.and_mask",
    "modbus.or_mask",        "modbus.read_reference_num",
    "modbus.read_word_cnt",  "modbus.write_reference_num",
    "modbus.write_word_cnt", "modbus.data",
    "mbtcp.trans_id",        "mbtcp.unit_id",
    "mbrtu.unit_id",         "mbrtu.crc16.status"};

// What the analyser says of each frame, as field -> value.
std::vector<std::map<std::string, std::string>> analysed(const test::TemporaryFolder& folder,
                                                         const std::vector<Sent>& frames,
                                                         Framing framing) {
  std::string dump;
  for (std::size_t i = 0; i < frames.size(); ++i) {
    const modbus::Frame frame{17, static_cast<std::uint16_t>(100 + i), frames[i].pdu};
    // I: to the server, O: from it
    dump += fmt::format("{}\n000000 {}\n", frames[i].is_request ? "I" : "O",
                        modbus::to_hex(*modbus::encode_frame(frame, framing)));
  }
  const unsigned port = framing == Framing::tcp ? tcp_port : rtu_port;
  folder.write("dump.txt", dump);
  const test::Outcome made =
      test::run_program("/usr/bin/text2pcap",
                        {"-q", "-D", "-4", "10.0.0.1,10.0.0.2", "-T", fmt::format("40000,{}", port),
                         "dump.txt", "frames.pcap"},
                        folder.path());
  INFO(made.err);
  REQUIRE(made.status == 0);
  // each frame by itself: no stream is put together, so that ours alone decide
  std::vector<std::string> arguments{"-r", "frames.pcap",
                                     "-T", "fields",
                                     "-E", "separator=;",
                                     "-E", "occurrence=a",
                                     "-o", "tcp.desegment_tcp_streams:FALSE",
                                     "-o", "mbrtu.crc_verification:TRUE"};
  if (framing == Framing::rtu) {
    arguments.insert(arguments.end(), {"-d", fmt::format("tcp.port=={},mbrtu", rtu_port), "-o",
                                       fmt::format("mbrtu.tcp.port:{}", rtu_port)});
  }
  for (const char* field : analysed_fields) arguments.insert(arguments.end(), {"-e", field});
  const test::Outcome seen = test::run_program("/usr/bin/tshark", arguments, folder.path());
  INFO(seen.err);
  REQUIRE(seen.status == 0);
  std::vector<std::map<std::string, std::string>> out;
  std::istringstream lines(seen.out);
  for (std::string line; std::getline(lines, line);) {
    std::map<std::string, std::string> row;
    std::istringstream cells(line);
    std::string cell;
    for (std::size_t i = 0; i < analysed_fields.size() && std::getline(cells, cell, ';'); ++i) {
      row[analysed_fields[i]] = cell;
    }
    out.push_back(std::move(row));
  }
  return out;
}

}  // namespace

TEST_CASE("a protocol analyser reads our frames as they were meant") {
  const test::TemporaryFolder folder;
  const std::vector<Sent> frames = all_frames();
  CHECK(frames.size() == 60);
  for (const Framing framing : {Framing::tcp, Framing::rtu}) {
    auto rows = analysed(folder, frames, framing);
    REQUIRE(rows.size() == frames.size());
    for (std::size_t i = 0; i < frames.size(); ++i) {
      INFO((framing == Framing::tcp ? "tcp " : "rtu ")
           << modbus::to_hex(frames[i].pdu) << (frames[i].is_request ? " request" : " reply"));
      if (framing == Framing::tcp) {
        CHECK(rows[i]["mbtcp.trans_id"] == fmt::format("{}", 100 + i));
        CHECK(rows[i]["mbtcp.unit_id"] == "17");
      } else {
        CHECK(rows[i]["mbrtu.unit_id"] == "17");
        CHECK(rows[i]["mbrtu.crc16.status"] == "1");  // good
      }
      for (const auto& [field, value] : frames[i].expected) {
        INFO(field);
        CHECK(rows[i][field] == value);
      }
    }
  }
}
