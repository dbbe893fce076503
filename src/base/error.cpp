#include "zithercraft/base/error.hpp"

#include <utility>

namespace zithercraft {
namespace {

std::string one_line(const std::string& problem, const std::string& where, const std::string& mend) {
  std::string line = where.empty() ? problem : where + ": " + problem;
  if (!mend.empty()) line += "; " + mend;
  return line;
}

}  // namespace

Error::Error(Fault fault, std::string problem, std::string where, std::string mend)
    : std::runtime_error(one_line(problem, where, mend)),
      fault_(fault),
      problem_(std::move(problem)),
      where_(std::move(where)),
      mend_(std::move(mend)) {}

}  // namespace zithercraft
