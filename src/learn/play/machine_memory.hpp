#pragma once

#include <string>

namespace zithercraft::learn_internal {

/// Bytes that this machine has.
double machine_memory();

/// 859 GB, or 0.5 GB
std::string gigabytes(double bytes);

/// Throws Error (refused) if something takes more memory than a training can have here; it would be
/// noticed only when the machine is full. `what` takes the bytes, `fix` says how to need less.
void check_memory(double bytes, const std::string& what, const std::string& where,
                  const std::string& fix);

}  // namespace zithercraft::learn_internal
