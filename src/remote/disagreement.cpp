#include <fmt/format.h>

#include <algorithm>
#include <vector>

#include "remote/message.hpp"

// What two sides of a connection must agree on. Weights, limits and what is remembered of earlier
// steps are the training's affair, and may differ.

namespace zithercraft::remote_internal {
namespace {

using Texts = std::vector<std::string>;

std::string first_difference(const std::string& what, const Texts& here, const Texts& there) {
  for (std::size_t i = 0; i < std::max(here.size(), there.size()); ++i) {
    const std::string a = i < here.size() ? here[i] : "nothing",
                      b = i < there.size() ? there[i] : "nothing";
    if (a != b) return fmt::format("{} {} is {} here and {} there", what, i, a, b);
  }
  return {};
}

Texts columns_of(const RoleSpec& role) {
  Texts texts;
  for (const Sense& sense : role.senses) {
    if (const auto* custom = std::get_if<CustomSense>(&sense))
      for (const CustomColumn& column : custom->columns)
        texts.push_back(fmt::format("{}.{} ({:g} to {:g})", custom->name, column.name, column.low,
                                    column.high));
    if (const auto* picture = std::get_if<CustomPicture>(&sense))
      texts.push_back(fmt::format("{} ({} x {}{})", picture->name, picture->width, picture->height,
                                  picture->colour ? ", in colour" : ""));
  }
  return texts;
}

Texts controls_of(const Role& role) {
  Texts texts;
  for (const ControlInfo& control : role.controls) {
    std::string text = control.is_choice() ? control.name + " with the options"
                                           : fmt::format("{} ({:g} to {:g})", control.name,
                                                         control.low, control.high);
    for (const std::string& option : control.options) text += " " + option;
    texts.push_back(text);
  }
  return texts;
}

Texts settings_of(const CustomGameSpec& custom) {
  Texts texts;
  for (const auto& [name, value] : custom.settings) texts.push_back(name);
  return texts;
}

}  // namespace

std::string disagreement(const Game& here, const Game& there) {
  Texts mine, yours;
  for (const Role& role : here.roles())
    mine.push_back(fmt::format("{} (seats: {})", role.name, role.seats.size()));
  for (const Role& role : there.roles())
    yours.push_back(fmt::format("{} (seats: {})", role.name, role.seats.size()));
  if (std::string text = first_difference("role", mine, yours); !text.empty()) return text;
  for (std::size_t r = 0; r < here.roles().size(); ++r) {
    const auto of = [&](const char* what) {
      return "of the role " + here.roles()[r].name + ", " + what;
    };
    for (std::string text :
         {first_difference(of("column"), columns_of(here.spec().roles[r]),
                           columns_of(there.spec().roles[r])),
          first_difference(of("control"), controls_of(here.roles()[r]),
                           controls_of(there.roles()[r])),
          first_difference(of("term"), here.roles()[r].terms, there.roles()[r].terms)})
      if (!text.empty()) return text;
  }
  for (std::string text :
       {first_difference("event", here.spec().custom->events, there.spec().custom->events),
        first_difference("setting", settings_of(*here.spec().custom),
                         settings_of(*there.spec().custom)),
        first_difference("expert", {here.spec().custom->expert ? "there" : "missing"},
                         {there.spec().custom->expert ? "there" : "missing"})})
    if (!text.empty()) return text;
  return {};
}

}  // namespace zithercraft::remote_internal
