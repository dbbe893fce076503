#include "remote/message.hpp"

#include <algorithm>
#include <set>

#include "game/plan.hpp"
#include "remote/tree.hpp"
#include "zithercraft/base/text.hpp"

namespace zithercraft::remote_internal {
namespace {

std::vector<std::uint32_t> copies_in(const Tree& message) {
  const Tree* list = member(message, "copies");
  std::vector<std::uint32_t> copies;
  if (list != nullptr && list->is_binary()) {
    const auto& bytes = list->get_binary();
    if (!bytes.has_subtype() || bytes.subtype() != u32_tag || bytes.size() % 4 != 0)
      bad("copies", "numbers in bytes must be tagged 70");
    copies.resize(bytes.size() / 4);
    take_numbers<std::uint32_t, std::uint32_t>(bytes, std::span(copies));
    return copies;
  }
  if (list == nullptr || !list->is_array()) bad("copies", "this must be a list of numbers");
  for (const Tree& copy : *list)
    copies.push_back(static_cast<std::uint32_t>(whole(copy, "copies", 0xffffffffu)));
  return copies;
}

// ---- Hello

Hello hello_in(const Tree& message, Form form) {
  check_keys(message, "", {"message", "protocol", "name", "game", "program", "copies", "form"});
  Hello hello{.form = form};
  const Tree* protocol = member(message, "protocol");
  if (protocol == nullptr) bad("protocol", "this must be a whole number");
  hello.protocol = static_cast<std::int64_t>(whole(*protocol, "protocol", 1'000'000));
  hello.name = text_of(message, "name", "", true, 200);
  hello.program = text_of(message, "program", "", false, 200);
  if (const Tree* copies = member(message, "copies"))
    hello.copies = whole(*copies, "copies", 65536);
  if (const std::string word = text_of(message, "form", "", false, 60); !word.empty()) {
    if (word != "text" && word != "binary") bad("form", "this must be text or binary");
    hello.form = word == "text" ? Form::text : Form::binary;
  }
  if (hello.copies == 0) bad("copies", "a game must play at least one copy");
  if (const Tree* game = member(message, "game")) {
    if (!game->is_object()) bad("game", "this must be an object, as in a game file");
    try {
      hello.game_json = game->dump();
    } catch (const Tree::exception&) {
      bad("game", "texts must be UTF-8, and there is no place for bytes");
    }
  }
  return hello;
}

// ---- States

struct StateReading {
  const GameShape& shape;
  std::vector<std::uint32_t> copies;
  std::vector<CopyPart*> to;  // of each copy
  std::vector<float> numbers{};
  std::vector<std::uint8_t> small{};

  // Hands out numbers that stand [copies][each].
  template <class Take>
  void floats_of(const Tree& role, const char* key, const std::string& where, std::size_t each,
                 Take take) {
    const Tree* list = member(role, key);
    if (list == nullptr) {
      if (each > 0) bad(where + key, "this is missing");
      return;
    }
    numbers.resize(copies.size() * each);
    floats(*list, where + key, numbers);
    for (std::size_t i = 0; i < copies.size(); ++i)
      take(*to[i], std::span<const float>(numbers).subspan(i * each, each));
  }
  template <class Take>
  void small_of(const Tree& role, const char* key, const std::string& where, std::size_t each,
                Take take) {
    const Tree* list = member(role, key);
    small.assign(copies.size() * each, 1);
    if (list != nullptr) small_numbers(*list, where + key, 1, small);
    for (std::size_t i = 0; i < copies.size(); ++i)
      take(*to[i], std::span<const std::uint8_t>(small).subspan(i * each, each));
  }
};

// What the game's own expert would do, and what it did.
void read_expert(StateReading& reading, const Tree& role, std::size_t number,
                 const std::string& where) {
  const RoleShape& shape = reading.shape.roles[number];
  const std::size_t each = shape.seats * shape.controls;
  bool asked = false;
  for (CopyPart* to : reading.to) {
    to->roles[number].expert.clear();
    asked = asked || to->roles[number].asked;
  }
  if (member(role, "expert") != nullptr)
    reading.floats_of(role, "expert", where, each,
                      [&](CopyPart& to, std::span<const float> numbers) {
                        to.roles[number].expert.assign(numbers.begin(), numbers.end());
                      });
  if (asked || member(role, "decided") != nullptr)
    reading.floats_of(role, "decided", where, each,
                      [&](CopyPart& to, std::span<const float> numbers) {
                        to.roles[number].decided.assign(numbers.begin(), numbers.end());
                      });
}

void read_role(StateReading& reading, const Tree& role, std::size_t number, bool paid) {
  const std::string where = "roles[" + std::to_string(number) + "].";
  const RoleShape& shape = reading.shape.roles[number];
  check_keys(
      role, where,
      {"observations", "pictures", "rewards", "allowed", "present", "places", "expert", "decided"});
  reading.floats_of(role, "observations", where, shape.seats * shape.columns,
                    [&](CopyPart& to, std::span<const float> numbers) {
                      to.roles[number].observations.assign(numbers.begin(), numbers.end());
                    });
  for (CopyPart* to : reading.to) {
    to->roles[number].rewards.assign(shape.seats * shape.paid.size(), 0.0f);
    to->roles[number].places.assign(shape.seats * 3, 0.0f);
  }
  if (paid || member(role, "rewards") != nullptr)
    reading.floats_of(role, "rewards", where, shape.seats * shape.paid.size(),
                      [&](CopyPart& to, std::span<const float> numbers) {
                        for (std::size_t i = 0; i < numbers.size(); ++i)
                          if (numbers[i] != 0.0f && shape.paid[i % shape.paid.size()] == 0)
                            bad(where + "rewards", "term " + std::to_string(i % shape.paid.size()) +
                                                       " has a trigger of its own");
                        to.roles[number].rewards.assign(numbers.begin(), numbers.end());
                      });
  if (member(role, "places") != nullptr)
    reading.floats_of(role, "places", where, shape.seats * 3,
                      [&](CopyPart& to, std::span<const float> numbers) {
                        to.roles[number].places.assign(numbers.begin(), numbers.end());
                      });
  read_expert(reading, role, number, where);
  if (shape.bytes > 0) {
    const Tree* pictures = member(role, "pictures");
    if (pictures == nullptr) bad(where + "pictures", "this is missing");
    const std::size_t each = shape.seats * shape.bytes;
    const auto bytes =
        bytes_in(*pictures, where + "pictures", reading.copies.size() * each, reading.small);
    for (std::size_t i = 0; i < reading.to.size(); ++i) {
      const auto own = bytes.subspan(i * each, each);
      reading.to[i]->roles[number].pictures.assign(own.begin(), own.end());
    }
  }
  reading.small_of(role, "allowed", where, shape.seats * shape.options,
                   [&](CopyPart& to, std::span<const std::uint8_t> numbers) {
                     to.roles[number].allowed.assign(numbers.begin(), numbers.end());
                   });
  reading.small_of(role, "present", where, shape.seats,
                   [&](CopyPart& to, std::span<const std::uint8_t> numbers) {
                     to.roles[number].present.assign(numbers.begin(), numbers.end());
                   });
}

void read_events(StateReading& reading, const Tree& events) {
  if (!events.is_array()) bad("events", "this must be a list");
  for (std::size_t i = 0; i < events.size(); ++i) {
    const std::string where = "events[" + std::to_string(i) + "].";
    const Tree& event = events[i];
    check_keys(event, where,
               {"copy", "event", "role", "seat", "other_role", "other_seat", "strength"});
    const auto number = [&](const char* key, std::uint64_t most) -> std::size_t {
      const Tree* value = member(event, key);
      return value == nullptr ? 0 : whole(*value, where + key, most);
    };
    if (reading.shape.events == 0) bad(where, "the game declares no events");
    const auto seat_of = [&](const char* role, const char* seat, std::size_t& of, std::size_t& at) {
      of = number(role, reading.shape.roles.size() - 1);
      at = number(seat, reading.shape.roles[of].seats - 1);
    };
    CustomStep::Happening happening;
    happening.event = number("event", reading.shape.events - 1);
    seat_of("role", "seat", happening.role, happening.seat);
    if (member(event, "other_role") != nullptr || member(event, "other_seat") != nullptr)
      seat_of("other_role", "other_seat", happening.other_role, happening.other_seat);
    if (const Tree* strength = member(event, "strength")) {
      if (!strength->is_number()) bad(where + "strength", "this must be a number");
      happening.strength = static_cast<float>(strength->get<double>());
      check_finite({&happening.strength, 1}, where + "strength");
    }
    const std::size_t copy = number("copy", 0xffffffffu);
    const auto found = std::find(reading.copies.begin(), reading.copies.end(), copy);
    if (found == reading.copies.end()) bad(where + "copy", "the state is not of this copy");
    reading.to[static_cast<std::size_t>(found - reading.copies.begin())]->events.push_back(
        happening);
  }
}

void read_state(const Tree& message, const GameShape& shape, StateReceiver& states) {
  check_keys(message, "", {"message", "copies", "roles", "outcomes", "events"});
  StateReading reading{shape, copies_in(message), {}};
  if (std::set<std::uint32_t>(reading.copies.begin(), reading.copies.end()).size() !=
      reading.copies.size())
    bad("copies", "a copy is named twice");
  bool paid = false;
  for (const std::uint32_t copy : reading.copies) {
    CopyPart* to = states.of_copy(copy);
    if (to == nullptr) bad("copies", "nobody asked for copy " + std::to_string(copy));
    reading.to.push_back(to);
    to->events.clear();
    to->roles.resize(shape.roles.size());
  }
  const Tree* outcomes = member(message, "outcomes");
  for (const CopyPart* to : reading.to)
    if (to->stepped != (outcomes != nullptr))
      bad("outcomes", to->stepped ? "after a step this is missing" : "no step was asked for");
  std::vector<std::uint8_t> come_to(reading.copies.size());
  if (outcomes != nullptr) small_numbers(*outcomes, "outcomes", 3, come_to);
  paid = outcomes != nullptr;
  for (std::size_t i = 0; i < come_to.size(); ++i)
    reading.to[i]->outcome = static_cast<Outcome>(come_to[i]);
  const Tree* roles = member(message, "roles");
  if (roles == nullptr || !roles->is_array() || roles->size() != shape.roles.size())
    bad("roles", "this must be a list of " + std::to_string(shape.roles.size()) +
                     ", one for each role of the game");
  for (std::size_t r = 0; r < shape.roles.size(); ++r) read_role(reading, (*roles)[r], r, paid);
  if (const Tree* events = member(message, "events")) read_events(reading, *events);
  for (CopyPart* to : reading.to) to->answered = true;
}

// ---- Drawings

const std::vector<std::string> form_words{"points", "line", "", "", "boxes", "text", "picture"};

Overlay overlay_in(const Tree& form, const std::string& where) {
  check_keys(form, where, {"name", "label", "form", "colour", "numbers"});
  Overlay overlay;
  overlay.name = text_of(form, "name", where, true, 60);
  overlay.label = text_of(form, "label", where, false, 200);
  const std::string word = text_of(form, "form", where, true, 60);
  const auto found = std::find(form_words.begin(), form_words.end(), word);
  if (found == form_words.end() || word.empty())
    bad(where + "form", "this must be points, line, boxes, text or picture");
  overlay.form = static_cast<Overlay::Form>(found - form_words.begin());
  if (const Tree* colour = member(form, "colour"))
    small_numbers(*colour, where + "colour", 255, overlay.colour);
  if (const Tree* numbers = member(form, "numbers")) {
    const std::size_t bytes = numbers->is_binary() ? numbers->get_binary().size() : 0;
    const bool small = bytes > 0 && numbers->get_binary().has_subtype() &&
                       numbers->get_binary().subtype() == bytes_tag;
    const bool large = bytes > 0 && numbers->get_binary().has_subtype() &&
                       numbers->get_binary().subtype() == f64_tag;
    overlay.numbers.resize(numbers->is_binary() ? bytes / (small   ? 1
                                                           : large ? 8
                                                                   : 4)
                                                : numbers->size());
    floats(*numbers, where + "numbers", overlay.numbers);
  }
  if (overlay.form == Overlay::Form::picture && !Raster::of(overlay))
    bad(where + "numbers", "these are no edges, sizes and brightness of a picture");
  return overlay;
}

std::vector<Overlay> drawing_in(const Tree& message) {
  check_keys(message, "", {"message", "copy", "forms"});
  const Tree* forms = member(message, "forms");
  if (forms == nullptr || !forms->is_array()) bad("forms", "this must be a list");
  std::vector<Overlay> drawing;
  for (std::size_t i = 0; i < forms->size(); ++i)
    drawing.push_back(overlay_in((*forms)[i], "forms[" + std::to_string(i) + "]."));
  return drawing;
}

// ---- What is sent

template <class Copies>
Tree numbers_of(Form form, const Copies& copies) {
  std::vector<std::uint32_t> numbers;
  for (const auto& copy : copies) numbers.push_back(static_cast<std::uint32_t>(copy.copy));
  return typed<std::uint32_t>(form, u32_tag, numbers);
}

}  // namespace

GameShape GameShape::of(const Game& game) {
  GameShape shape;
  const auto& plans = game.plan().role_plans;
  for (std::size_t r = 0; r < game.roles().size(); ++r) {
    const Role& role = game.roles()[r];
    RoleShape& of = shape.roles.emplace_back(
        RoleShape{role.name, role.seats.size(), plans[r].told_columns, role.controls.size()});
    for (const auto& term : plans[r].terms)
      of.paid.push_back(std::holds_alternative<game_internal::PaidPlan>(term.trigger) ? 1 : 0);
    of.picture_bytes = plans[r].picture_bytes;
    for (const std::size_t bytes : of.picture_bytes) of.bytes += bytes;
    for (const ControlInfo& control : role.controls) {
      of.first_option.push_back(of.options);
      of.options += control.options.size();
    }
  }
  if (game.spec().custom) shape.events = game.spec().custom->events.size();
  return shape;
}

Received read_message(std::span<const std::uint8_t> bytes, Form form, const GameShape& shape,
                      StateReceiver* states) {
  const Tree message = tree_of(bytes, form);
  if (!message.is_object()) bad("", "a message must be an object");
  Received received;
  received.kind = text_of(message, "message", "", true, 60);
  if (received.kind == "hello") {
    received.hello = hello_in(message, form);
  } else if (received.kind == "state" && states != nullptr) {
    read_state(message, shape, *states);
  } else if (received.kind == "drawing") {
    received.drawing = drawing_in(message);
  } else {
    bad("message", "a game does not send '" + received.kind + "' here");
  }
  return received;
}

namespace {

// Which seats of a role the game's own expert decides for; empty if there are none.
std::vector<std::uint8_t> experts_of(std::span<const StepCopy> copies, std::size_t role) {
  std::vector<std::uint8_t> all;
  for (const StepCopy& copy : copies)
    all.insert(all.end(), copy.parts[role].by_expert.begin(), copy.parts[role].by_expert.end());
  return std::find(all.begin(), all.end(), 1) == all.end() ? std::vector<std::uint8_t>{} : all;
}

}  // namespace

std::string welcome_message(Form form) {
  return bytes_of({{"message", "welcome"}, {"protocol", protocol_version}}, form);
}
std::string refused_message(Form form, const std::string& why) {
  return bytes_of({{"message", "refused"}, {"why", why}}, form);
}
std::string end_message(Form form, const std::string& why) {
  return bytes_of({{"message", "end"}, {"why", why}}, form);
}
std::string draw_message(Form form, std::size_t copy) {
  return bytes_of({{"message", "draw"}, {"copy", copy}}, form);
}

std::string begin_message(Form form, std::span<const BeginCopy> copies,
                          const std::map<std::string, double>& settings) {
  std::vector<std::uint64_t> seeds;
  for (const BeginCopy& copy : copies) seeds.push_back(copy.seed);
  return bytes_of({{"message", "begin"},
                   {"copies", numbers_of(form, copies)},
                   {"seeds", seeds},
                   {"settings", settings}},
                  form);
}

std::string step_message(Form form, std::span<const StepCopy> copies, const GameShape& shape) {
  Tree roles = Tree::array();
  std::vector<float> controls;
  for (std::size_t r = 0; r < shape.roles.size(); ++r) {
    controls.clear();
    for (const StepCopy& copy : copies)
      controls.insert(controls.end(), copy.parts[r].controls.begin(), copy.parts[r].controls.end());
    Tree& role = roles.emplace_back(Tree{{"controls", typed<float>(form, f32_tag, controls)}});
    if (const auto experts = experts_of(copies, r); !experts.empty())
      role["by_expert"] = typed<std::uint8_t>(form, bytes_tag, experts);
  }
  return bytes_of(
      {{"message", "step"}, {"copies", numbers_of(form, copies)}, {"roles", std::move(roles)}},
      form);
}

}  // namespace zithercraft::remote_internal
