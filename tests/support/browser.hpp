#pragma once

#include <cstdint>
#include <memory>
#include <nlohmann/json.hpp>
#include <string>

namespace zithercraft::test {

struct HttpReply {
  int status = 0;  ///< 0: no answer
  std::string body;
};

/// One HTTP request to a server on this machine; `headers` are whole lines, each with its line end.
HttpReply http(std::uint16_t port, const std::string& method, const std::string& target,
               const std::string& body = "", const std::string& headers = "");

/// A headless Chromium that is driven through WebDriver (W3C). Fails the test if there is none.
class Browser {
 public:
  Browser();
  ~Browser();
  Browser(const Browser&) = delete;
  Browser& operator=(const Browser&) = delete;

  void open(const std::string& url);
  /// Runs a script in the page and gives what it returns.
  nlohmann::json run(const std::string& script);
  /// Waits until an expression is true in the page; false after `seconds`.
  bool wait_for(const std::string& expression, double seconds = 20.0);
  /// Presses and lets go of keys, by their WebDriver codes or characters.
  void press(const std::string& key) { key_action("keyDown", key); }
  void release(const std::string& key) { key_action("keyUp", key); }
  void click(const std::string& element_id);
  /// The page as PNG, in base64.
  std::string picture();
  /// What went wrong in the page, by its own account; empty if nothing did.
  std::string errors();

 private:
  nlohmann::json call(const std::string& method, const std::string& path,
                      const nlohmann::json& body = nlohmann::json::object());
  void key_action(const std::string& type, const std::string& key);

  struct Driver;
  std::unique_ptr<Driver> driver_;
  std::string session_;
};

/// Keys as WebDriver names them.
constexpr const char* arrow_up = "\ue013";
constexpr const char* arrow_down = "\ue015";
constexpr const char* arrow_left = "\ue012";
constexpr const char* arrow_right = "\ue014";
constexpr const char* enter = "\ue007";

}  // namespace zithercraft::test
