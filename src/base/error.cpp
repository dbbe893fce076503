#include "zithercraft/base/error.hpp"

#include <utility>

namespace zithercraft {
namespace {

std::string one_line(const std::string& problem, const std::string& where, const std::string& fix) {
  std::string line = where.empty() ? problem : where + ": " + problem;
  if (!fix.empty()) line += "; " + fix;
  return line;
}

}  // namespace

Error::Error(ErrorKind kind, std::string problem, std::string where, std::string fix)
    : std::runtime_error(one_line(problem, where, fix)),
      kind_(kind),
      problem_(std::move(problem)),
      where_(std::move(where)),
      fix_(std::move(fix)) {}

}  // namespace zithercraft
