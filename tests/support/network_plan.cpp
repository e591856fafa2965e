#include "network_plan.h"

namespace greymet::test {

std::string network_plan(const std::vector<std::string>& rows, const std::string& behind) {
  std::string text = R"([controller.kiln]
scan = "10ms"
address = "10.20.0.10/24"
[controller.kiln.memory]
"%MW" = { kind = "word", first = 0, count = 1000, serves = "hr:0" }
[controller.loadout]
scan = "8ms"
address = "10.20.0.12/24"
answers = [ { port = 502 } ]
[controller.loadout.memory]
"%MW" = { kind = "word", first = 0, count = 500, serves = "hr:0" }
[line.north]
master = "kiln"
mode = "rtu"
baud = 19200
format = "8E1"
[gateway.roof-box]
host = "10.20.0.40"
[line.roof]
via = "roof-box"
mode = "rtu"
baud = 9600
format = "8N2"
[slave.gauge]
line = "north"
unit = 12
map = "gauge.csv"
map_covers = "all"
word_order = "CDAB"
reply = { typical = "5ms", max = "20ms" }
[slave.pump]
line = "north"
unit = 13
map = "pump.csv"
reply = { typical = "5ms", max = "20ms" }
[slave.weather]
line = "roof"
unit = 1
reply = { typical = "5ms", max = "20ms" }
[slave.air]
host = "10.20.0.31"
reply = { typical = "5ms", max = "20ms" }
rtt = { typical = "1ms", max = "4ms" }
[slave.steam]
host = "10.20.0.32"
reply = { typical = "5ms", max = "20ms" }
[exchange]
transactions = [
)";
  for (const std::string& row : rows) text += "  " + row + ",\n";
  return text + "]\n" + behind;
}

}  // namespace greymet::test
