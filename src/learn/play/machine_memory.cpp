#include "learn/play/machine_memory.hpp"

#include <unistd.h>

#include <cmath>

#include "zithercraft/base/error.hpp"

namespace zithercraft::learn_internal {

double machine_memory() {
  return static_cast<double>(sysconf(_SC_PHYS_PAGES)) * static_cast<double>(sysconf(_SC_PAGESIZE));
}

std::string gigabytes(double bytes) {
  const double tenths = std::round(bytes / 1e8);
  if (tenths >= 100.0) return std::to_string(std::llround(bytes / 1e9)) + " GB";
  const auto whole = static_cast<std::int64_t>(tenths);
  return std::to_string(whole / 10) + "." + std::to_string(whole % 10) + " GB";
}

void check_memory(double bytes, const std::string& what, const std::string& where,
                  const std::string& fix) {
  constexpr double most = 0.8;  // of what the machine has
  if (bytes <= most * machine_memory()) return;
  throw Error(
      ErrorKind::refused,
      what + " takes " + gigabytes(bytes) + ", and this machine has " + gigabytes(machine_memory()),
      where, fix);
}

}  // namespace zithercraft::learn_internal
