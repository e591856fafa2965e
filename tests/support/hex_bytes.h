// Bytes as tests write them: "0103006B0003".
#pragma once

#include "modbus/frame.h"

namespace greymet::test {

inline modbus::Bytes bytes(const char* hex) {
  return *modbus::from_hex(hex);
}

}  // namespace greymet::test
