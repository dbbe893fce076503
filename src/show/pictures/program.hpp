#pragma once

#include <memory>
#include <span>
#include <string>
#include <vector>

namespace zithercraft::show_internal {

/// Another program that is fed through its standard input.
class Program {
 public:
  /// Starts it; what it prints is thrown away, what it complains about is kept. Check `started`
  /// before feeding it.
  explicit Program(const std::vector<std::string>& words);
  /// Waits for its end.
  ~Program();
  Program(const Program&) = delete;
  Program& operator=(const Program&) = delete;

  bool started() const;
  /// False if it does not listen any more.
  bool feed(std::span<const unsigned char> bytes);
  /// Ends its input and waits; whether it says that all went well.
  bool finish();
  /// The first line of its complaints, once it has ended.
  std::string complaint();

 private:
  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace zithercraft::show_internal
