#include "zithercraft/match/steering.hpp"

#include <algorithm>
#include <charconv>
#include <cmath>
#include <sstream>
#include <utility>

#include "zithercraft/base/error.hpp"
#include "zithercraft/base/files.hpp"
#include "zithercraft/base/text.hpp"

namespace zithercraft {

namespace {

[[noreturn]] void no_such_option(const std::string& control, const std::string& option,
                                 const std::vector<std::string>& known) {
  throw Error(ErrorKind::usage, "'" + control + "' has no option '" + option + "'", "option",
              advice(option, known));
}

}  // namespace

Steering::Steering(const Role& role) : role_(role) {}

void Steering::press(const std::string& key) {
  std::erase(held_, key);
  gone_.erase(key);
  held_.push_back(key);
}

void Steering::release(const std::string& key) {
  if (std::find(held_.begin(), held_.end(), key) != held_.end()) gone_.insert(key);
}

void Steering::hold(const std::vector<std::string>& keys) {
  for (const std::string& key : std::vector<std::string>(held_))
    if (std::find(keys.begin(), keys.end(), key) == keys.end()) release(key);
  for (const std::string& key : keys)
    if (gone_.contains(key) || std::find(held_.begin(), held_.end(), key) == held_.end())
      press(key);
}

void Steering::gamepad(std::vector<float> axes, std::vector<bool> buttons) {
  axes_ = std::move(axes);
  buttons_ = std::move(buttons);
}

void Steering::point(const std::map<std::string, std::string>& options) {
  std::map<std::size_t, std::size_t> now;
  for (const auto& [name, option] : options) {
    std::size_t c = 0;
    while (c < role_.controls.size() &&
           (role_.controls[c].name != name || !role_.controls[c].is_choice()))
      ++c;
    if (c == role_.controls.size())
      throw Error(ErrorKind::usage, "the role has no choice '" + name + "'", "option",
                  "name one of its choices");
    const auto& known = role_.controls[c].options;
    const auto found = std::find(known.begin(), known.end(), option);
    if (found == known.end()) no_such_option(name, option, known);
    now[c] = static_cast<std::size_t>(found - known.begin());
  }
  pointed_no_more_.clear();
  for (const auto& [control, option] : pointed_)
    if (now.try_emplace(control, option).second) pointed_no_more_.insert(control);
  pointed_ = std::move(now);
}

void Steering::let_go() {
  pointed_.clear();
  pointed_no_more_.clear();
  held_.clear();
  gone_.clear();
  axes_.clear();
  buttons_.clear();
}

double Steering::strength(const KeyBinding& b) const {
  if (b.axis) {
    const auto axis = static_cast<std::size_t>(*b.axis);
    return axis < axes_.size() ? std::clamp(static_cast<double>(axes_[axis]), -1.0, 1.0) : 0.0;
  }
  if (b.button) {
    const auto button = static_cast<std::size_t>(*b.button);
    return button < buttons_.size() && buttons_[button] ? 1.0 : 0.0;
  }
  return std::find(held_.begin(), held_.end(), b.key) != held_.end() ? 1.0 : 0.0;
}

// A place in the order of presses; what is on the gamepad counts as pressed before any key.
std::size_t Steering::since(const KeyBinding& b) const {
  return b.key.empty() ? 1
                       : 2 + static_cast<std::size_t>(std::find(held_.begin(), held_.end(), b.key) -
                                                      held_.begin());
}

void Steering::controls(std::span<float> out) const {
  std::copy(role_.rest.begin(), role_.rest.end(), out.begin());
  for (std::size_t c = 0; c < role_.controls.size(); ++c) {
    const ControlInfo& control = role_.controls[c];
    double sum = 0.0;
    bool any = false;
    std::size_t latest = 0;
    for (const KeyBinding& b : role_.keys) {
      if (b.control != control.name) continue;
      const double much = strength(b);
      if (!control.is_choice()) {
        sum += much * b.value;
        any = any || much != 0.0;
      } else if (much * (b.axis ? b.value : 1.0) > 0.5 && since(b) > latest) {
        latest = since(b);
        const auto option = std::find(control.options.begin(), control.options.end(), b.option);
        out[c] = static_cast<float>(option - control.options.begin());
      }
    }
    if (any) out[c] = static_cast<float>(std::clamp(sum, control.low, control.high));
    if (const auto at = pointed_.find(c); at != pointed_.end())
      out[c] = static_cast<float>(at->second);
  }
}

void Steering::decided() {
  for (const std::string& key : gone_) std::erase(held_, key);
  gone_.clear();
  for (const std::size_t control : pointed_no_more_) pointed_.erase(control);
  pointed_no_more_.clear();
}

KeyScript KeyScript::load(const std::filesystem::path& file) {
  return parse(read_text(file), file.string());
}

KeyScript KeyScript::parse(const std::string& text, const std::string& source) {
  KeyScript script;
  std::istringstream lines(text);
  std::string line;
  for (int number = 1; std::getline(lines, line); ++number) {
    const auto wrong = [&](const std::string& what, const std::string& fix) {
      throw Error(ErrorKind::spec, what, source + ":" + std::to_string(number), fix);
    };
    std::istringstream words(line.substr(0, line.find('#')));
    std::string step, action, key, more;
    if (!(words >> step)) continue;
    words >> action >> key;
    Line item;
    const auto [end, code] = std::from_chars(step.data(), step.data() + step.size(), item.step);
    if (code != std::errc() || end != step.data() + step.size())
      wrong("'" + step + "' is no step's number", "begin the line with a whole number, from 0");
    if (action != "press" && action != "release")
      wrong("'" + action + "' is neither press nor release", "write: STEP press KEY");
    if (!is_key(key)) wrong("there is no key '" + key + "'", advice(key, known_keys()));
    if (words >> more) wrong("'" + more + "' follows the key", "write one key on a line");
    if (!script.lines_.empty() && item.step < script.lines_.back().step)
      wrong("the steps are not in order", "sort the lines by their first number");
    item.press = action == "press";
    item.key = key;
    script.lines_.push_back(std::move(item));
  }
  return script;
}

void KeyScript::apply(Steering& steering, std::uint32_t step) {
  for (; next_ < lines_.size() && lines_[next_].step <= step; ++next_)
    lines_[next_].press ? steering.press(lines_[next_].key) : steering.release(lines_[next_].key);
}

}  // namespace zithercraft
