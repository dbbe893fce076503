#pragma once

#include <functional>
#include <type_traits>
#include <utility>

namespace zithercraft {

template <class Signature>
class Code;

/// Code of the user's own as part of a spec. A file can name what it belongs to, but not hold it;
/// and since code cannot be compared, specs that differ in nothing else are equal.
template <class Result, class... Given>
class Code<Result(Given...)> {
 public:
  using Function = std::function<Result(Given...)>;  ///< as it is kept
  Code() = default;
  /// Whatever can be called so.
  template <class F>
  requires std::is_invocable_r_v<Result, F, Given...> Code(F callable)
      : function_(std::move(callable)) {}
  /// The code; empty if there is none.
  const Function& function() const noexcept { return function_; }
  bool operator==(const Code&) const { return true; }

 private:
  Function function_;
};

}  // namespace zithercraft
