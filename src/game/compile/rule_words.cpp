#include <array>
#include <charconv>
#include <type_traits>

#include "zithercraft/game/rules.hpp"

namespace zithercraft {
namespace {

std::string number(double value) {
  std::array<char, 32> text{};
  const auto end =
      std::to_chars(text.data(), text.data() + text.size(), value, std::chars_format::general, 6);
  return {text.data(), end.ptr};
}

std::string all_of(const std::vector<std::string>& names) {
  std::string text;
  for (const std::string& name : names) text += (text.empty() ? "" : " or ") + name;
  return text;
}

// What conditions and events both ask of a body.
template <class Asked>
void add_standing(std::vector<std::string>& parts, const Asked& asked) {
  if (asked.above) parts.push_back("at " + number(*asked.above) + " m or above");
  if (asked.below) parts.push_back("below " + number(*asked.below) + " m");
  if (asked.at_least) parts.push_back(asked.meter + " at least " + number(*asked.at_least));
  if (asked.at_most) parts.push_back(asked.meter + " at most " + number(*asked.at_most));
}

std::string joined(const std::vector<std::string>& parts) {
  std::string text;
  for (const std::string& part : parts) text += (text.empty() ? "" : ", ") + part;
  return text;
}

std::string words_of(const Condition& c) {
  std::vector<std::string> parts;
  if (!c.inside.empty()) parts.push_back("inside " + c.inside);
  if (!c.near.empty()) parts.push_back("within " + number(c.within) + " m of " + c.near);
  if (!c.touching.empty()) parts.push_back("touching " + all_of(c.touching));
  if (c.slower_than) parts.push_back("slower than " + number(*c.slower_than) + " m/s");
  if (c.faster_than) parts.push_back("faster than " + number(*c.faster_than) + " m/s");
  add_standing(parts, c);
  return (c.of.empty() ? "a seat is " : c.of + " is ") + joined(parts);
}

std::string words_of(const EventTrigger& e) {
  std::string text =
      "on " + (e.named.empty() ? std::string(name_of(e.event)) : "'" + e.named + "'");
  if (e.nth > 0) text += " number " + std::to_string(e.nth);
  if (e.counts == Counts::first) text += ", the first time,";
  if (e.counts == Counts::first_of_each) text += ", the first time with each,";
  if (!e.of.empty()) text += " of " + e.of;
  if (!e.with.empty()) text += " with " + all_of(e.with);
  std::vector<std::string> parts;
  if (e.from != Approach::any) {
    constexpr std::array words{"", "ahead", "behind", "beside", "above", "below"};
    parts.push_back(std::string("that is ") + words[static_cast<std::size_t>(e.from)]);
  }
  if (e.harder_than > 0.0) parts.push_back("strength from " + number(e.harder_than));
  if (e.softer_than) parts.push_back("strength below " + number(*e.softer_than));
  if (!e.inside.empty()) parts.push_back("inside " + e.inside);
  add_standing(parts, e);
  return parts.empty() ? text : text + ", " + joined(parts);
}

template <class Kind>
std::string subject(const Kind& action) {
  if (!action.of.empty()) return action.of;
  return action.as == Part::whom ? "the other one" : "it";
}

std::string words_of(const ChangeMeter& a) {
  return a.to ? "set " + a.meter + " of " + subject(a) + " to " + number(*a.to)
              : "change " + a.meter + " of " + subject(a) + " by " + number(a.by) +
                    (a.by_meter.empty() ? "" : " times its " + a.by_meter);
}
std::string words_of(const Remove& a) { return "remove " + subject(a); }
std::string words_of(const BringBack& a) { return "bring " + subject(a) + " back"; }
std::string words_of(const PlaceAgain& a) { return "place " + subject(a) + " again"; }
std::string words_of(const Throw& a) {
  std::string text = "throw " + subject(a) + " at " + number(a.speed) + " m/s";
  if (a.along) text += " along " + number(*a.along) + " degrees";
  if (!a.towards.empty()) text += " towards " + a.towards;
  if (a.spread > 0.0) text += ", " + number(a.spread) + " degrees to either side";
  return text;
}
std::string words_of(const SetHostile& a) {
  return "make " + subject(a) + (a.hostile ? " hostile" : " peaceful");
}
std::string words_of(const GiveTag& a) {
  return "give " + subject(a) + (a.tag.empty() ? " its own tag" : " the tag " + a.tag);
}
std::string words_of(const TurnCells& a) {
  return a.into.empty() ? "clear all " + a.from : "turn " + a.from + " into " + a.into;
}
std::string words_of(const EnterPhase& a) {
  return a.phase.empty() ? "leave the phase" : "enter phase '" + a.phase + "'";
}
std::string words_of(const Emit& a) {
  return "tell '" + a.event + "'" + (a.meter.empty() ? "" : " by " + a.meter);
}
std::string words_of(const Finish& a) {
  constexpr std::array words{"cut off", "end with success", "end with failure"};
  return words[static_cast<std::size_t>(a.verdict)];
}

}  // namespace

std::string in_words(const RuleSpec& rule) {
  if (rule.coded()) return "by code";
  std::string text = rule.on     ? words_of(*rule.on)
                     : rule.when ? "once " + words_of(*rule.when)
                     : rule.after
                         ? "after " + number(*rule.after) + " s" +
                               (rule.every ? " and every " + number(*rule.every) + " s" : "")
                     : rule.every ? "every " + number(*rule.every) + " s"
                                  : "never";
  if (rule.lasting > 0.0) text += " for " + number(rule.lasting) + " s";
  if (rule.only_while) text += ", only while " + words_of(*rule.only_while);
  if (rule.most > 0) text += ", at most " + std::to_string(rule.most) + " times";
  text += ":";
  for (std::size_t i = 0; i < rule.then.size(); ++i)
    text += (i == 0 ? " " : ", ") +
            std::visit([](const auto& action) { return words_of(action); }, rule.then[i]);
  return text;
}

}  // namespace zithercraft
