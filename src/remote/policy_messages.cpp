#include "remote/policy_messages.hpp"

#include <algorithm>

#include "remote/tree.hpp"

namespace zithercraft::remote_internal {
namespace {

// Seats are remembered by their numbers.
constexpr std::uint64_t last_seat = 65535;

std::vector<std::uint32_t> seats_in(const Tree& message) {
  const Tree* list = member(message, "seats");
  std::vector<std::uint32_t> seats;
  if (list != nullptr && list->is_binary()) {
    const auto& bytes = list->get_binary();
    if (!bytes.has_subtype() || bytes.subtype() != u32_tag || bytes.size() % 4 != 0)
      bad("seats", "numbers in bytes must be tagged 70");
    seats.resize(bytes.size() / 4);
    take_numbers<std::uint32_t, std::uint32_t>(bytes, std::span(seats));
  } else if (list != nullptr && list->is_array()) {
    for (const Tree& seat : *list)
      seats.push_back(static_cast<std::uint32_t>(whole(seat, "seats", last_seat)));
  } else {
    bad("seats", "this must be a list of numbers");
  }
  if (seats.empty()) bad("seats", "there must be one at least");
  if (*std::max_element(seats.begin(), seats.end()) > last_seat)
    bad("seats", "numbers must be at most " + std::to_string(last_seat));
  std::vector<std::uint32_t> sorted = seats;
  std::sort(sorted.begin(), sorted.end());
  if (std::adjacent_find(sorted.begin(), sorted.end()) != sorted.end())
    bad("seats", "a seat is named twice");
  return seats;
}

}  // namespace

PolicyRequest read_request(std::span<const std::uint8_t> bytes, Form form) {
  const Tree message = tree_of(bytes, form);
  check_keys(message, "", {"message", "protocol", "role", "form"});
  if (text_of(message, "message", "", true, 60) != "ask")
    bad("message", "the first message must be 'ask'");
  const Tree* protocol = member(message, "protocol");
  if (protocol == nullptr || whole(*protocol, "protocol", 1'000'000) != protocol_version)
    bad("protocol", "this program speaks version " + std::to_string(protocol_version));
  PolicyRequest request{text_of(message, "role", "", false, 200), form};
  if (const std::string word = text_of(message, "form", "", false, 60); !word.empty()) {
    if (word != "text" && word != "binary") bad("form", "this must be text or binary");
    request.form = word == "text" ? Form::text : Form::binary;
  }
  return request;
}

Asking read_asking(std::span<const std::uint8_t> bytes, Form form, std::size_t columns) {
  const Tree message = tree_of(bytes, form);
  check_keys(message, "", {"message", "seats", "begins", "observations"});
  if (text_of(message, "message", "", true, 60) != "decide")
    bad("message", "a game that asks says 'decide'");
  Asking asking{seats_in(message), {}, {}};
  asking.begins.resize(asking.seats.size());
  asking.observations.resize(asking.seats.size() * columns);
  if (const Tree* begins = member(message, "begins"))
    small_numbers(*begins, "begins", 1, asking.begins);
  const Tree* observations = member(message, "observations");
  if (observations == nullptr) bad("observations", "this is missing");
  floats(*observations, "observations", asking.observations);
  return asking;
}

std::string policy_message(Form form, const PolicySignature& signature) {
  Tree columns = Tree::array(), controls = Tree::array();
  for (const Column& column : signature.columns) columns.push_back(column.name);
  for (const ControlInfo& control : signature.controls) {
    Tree told{{"name", control.name}};
    if (control.is_choice())
      told["options"] = control.options;
    else
      told["low"] = control.low, told["high"] = control.high;
    controls.push_back(std::move(told));
  }
  return bytes_of({{"message", "welcome"},
                   {"protocol", protocol_version},
                   {"role", signature.role},
                   {"columns", std::move(columns)},
                   {"controls", std::move(controls)}},
                  form);
}

std::string decided_message(Form form, std::span<const std::uint32_t> seats,
                            std::span<const float> controls) {
  return bytes_of({{"message", "decided"},
                   {"seats", typed<std::uint32_t>(form, u32_tag, seats)},
                   {"controls", typed<float>(form, f32_tag, controls)}},
                  form);
}

}  // namespace zithercraft::remote_internal
