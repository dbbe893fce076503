#include "remote/tree.hpp"

#include <nettle/base64.h>

#include <algorithm>
#include <bit>
#include <cmath>

#include "zithercraft/base/text.hpp"

namespace zithercraft::remote_internal {

[[noreturn]] void bad(const std::string& where, const std::string& what) {
  throw BadMessage(where.empty() ? what : where + ": " + what);
}

namespace {

constexpr std::size_t deepest = 32;

// ---- How deep values are nested is looked at before they are read, since reading recurses.

void check_depth_of_text(std::span<const std::uint8_t> text) {
  std::size_t depth = 0;
  bool quoted = false;
  for (std::size_t i = 0; i < text.size(); ++i) {
    const char c = static_cast<char>(text[i]);
    if (quoted) {
      if (c == '\\') ++i;
      quoted = c != '"';
    } else if (c == '"') {
      quoted = true;
    } else if (c == '[' || c == '{') {
      if (++depth > deepest) bad("", "values are nested too deep");
    } else if ((c == ']' || c == '}') && depth > 0) {
      --depth;
    }
  }
}

// Walks over the items of CBOR (RFC 8949). Lengths must be stated.
class CborWalk {
 public:
  explicit CborWalk(std::span<const std::uint8_t> bytes) : left_(bytes) {}

  void check() {
    std::vector<std::uint64_t> open{1};  // items that are still to come, at each depth
    while (!open.empty()) {
      if (open.back() == 0) {
        open.pop_back();
        continue;
      }
      --open.back();
      const std::uint8_t head = take(1)[0];
      const unsigned major = head >> 5u;
      const std::uint64_t count = argument(head & 31u);
      if (major == 2 || major == 3) take(count);
      if (major == 6) ++open.back();  // what is tagged follows
      if (major != 4 && major != 5) continue;
      if (count > left_.size()) bad("", "a list ends behind the message");
      if (open.size() > deepest) bad("", "values are nested too deep");
      open.push_back(major == 5 ? 2 * count : count);
    }
  }

 private:
  std::span<const std::uint8_t> take(std::uint64_t count) {
    if (count > left_.size()) bad("", "the message is cut short");
    const auto taken = left_.first(count);
    left_ = left_.subspan(count);
    return taken;
  }
  std::uint64_t argument(unsigned info) {
    if (info < 24) return info;
    if (info > 27) bad("", "lengths must be stated");
    std::uint64_t number = 0;
    for (const std::uint8_t byte : take(1u << (info - 24u))) number = number << 8u | byte;
    return number;
  }
  std::span<const std::uint8_t> left_;
};

}  // namespace

Tree tree_of(std::span<const std::uint8_t> bytes, Form form) {
  try {
    if (form == Form::text) {
      check_depth_of_text(bytes);
      return Tree::parse(bytes.begin(), bytes.end());
    }
    CborWalk(bytes).check();
    return Tree::from_cbor(bytes.begin(), bytes.end(), true, true, Tree::cbor_tag_handler_t::store);
  } catch (const Tree::exception& error) {
    // The library's own number of the error says nothing to people.
    const std::string text = error.what();
    bad("", std::string(form == Form::text ? "this is no JSON" : "this is no CBOR that is read") +
                text.substr(std::min(
                    text.size(), text.find("] ") == std::string::npos ? 0 : text.find("] ") + 1)));
  }
}

// ---- Members of objects

const Tree* member(const Tree& object, const char* key) {
  const auto found = object.find(key);
  return found == object.end() ? nullptr : &*found;
}

void check_keys(const Tree& object, const std::string& where,
                const std::vector<std::string>& known) {
  if (!object.is_object()) bad(where, "this must be an object");
  for (const auto& [key, value] : object.items())
    if (std::find(known.begin(), known.end(), key) == known.end())
      bad(where, "there is no key '" + key.substr(0, 60) + "'; " + advice(key, known));
}

std::uint64_t whole(const Tree& value, const std::string& where, std::uint64_t most) {
  const bool fits =
      value.is_number_unsigned() || (value.is_number_integer() && value.get<std::int64_t>() >= 0);
  if (!fits || value.get<std::uint64_t>() > most)
    bad(where, "this must be a whole number from 0 to " + std::to_string(most));
  return value.get<std::uint64_t>();
}

std::string text_of(const Tree& object, const char* key, const std::string& where, bool needed,
                    std::size_t longest) {
  const Tree* value = member(object, key);
  if (value == nullptr && !needed) return {};
  if (value == nullptr || !value->is_string() ||
      value->get_ref<const std::string&>().size() > longest)
    bad(where + key, "this must be a text of at most " + std::to_string(longest) + " bytes");
  return value->get<std::string>();
}

// ---- Lists of numbers: typed arrays, or lists of what a number can be

[[noreturn]] void wrong_count(const std::string& where, std::size_t count, std::size_t wanted) {
  bad(where, "there are " + std::to_string(count) + " numbers, and there must be " +
                 std::to_string(wanted));
}

void check_finite(std::span<const float> numbers, const std::string& where) {
  std::uint32_t largest = 0;
  for (const float number : numbers)
    largest = std::max(largest, std::bit_cast<std::uint32_t>(number) & 0x7f800000u);
  if (largest == 0x7f800000u) bad(where, "a number is not finite");
}

void floats(const Tree& list, const std::string& where, std::span<float> out) {
  const std::size_t wanted = out.size();
  if (list.is_binary()) {
    const auto& bytes = list.get_binary();
    const std::uint64_t tag = bytes.has_subtype() ? bytes.subtype() : 0;
    const std::size_t each = tag == bytes_tag ? 1 : tag == f64_tag ? 8 : 4;
    if (tag != bytes_tag && tag != i32_tag && tag != f32_tag && tag != f64_tag)
      bad(where, "numbers in bytes must be tagged 64, 78, 85 or 86");
    if (bytes.size() != wanted * each) wrong_count(where, bytes.size() / each, wanted);
    if (tag == f32_tag)
      std::memcpy(out.data(), bytes.data(), bytes.size());
    else if (tag == f64_tag)
      take_numbers<float, double>(bytes, out);
    else if (tag == i32_tag)
      take_numbers<float, std::int32_t>(bytes, out);
    else
      take_numbers<float, std::uint8_t>(bytes, out);
  } else {
    if (!list.is_array()) bad(where, "this must be a list of numbers");
    if (list.size() != wanted) wrong_count(where, list.size(), wanted);
    for (std::size_t i = 0; i < wanted; ++i) {
      if (!list[i].is_number()) bad(where + "[" + std::to_string(i) + "]", "this must be a number");
      out[i] = static_cast<float>(list[i].get<double>());
    }
  }
  check_finite(out, where);
}

void small_numbers(const Tree& list, const std::string& where, std::uint8_t most,
                   std::span<std::uint8_t> out) {
  const auto check = [&](std::uint64_t number) {
    if (number > most) bad(where, "numbers must be whole, from 0 to " + std::to_string(most));
    return static_cast<std::uint8_t>(number);
  };
  if (list.is_binary()) {
    const auto& bytes = list.get_binary();
    if (!bytes.has_subtype() || bytes.subtype() != bytes_tag)
      bad(where, "small numbers in bytes must be tagged 64");
    if (bytes.size() != out.size()) wrong_count(where, bytes.size(), out.size());
    for (std::size_t i = 0; i < out.size(); ++i) out[i] = check(bytes[i]);
    return;
  }
  if (!list.is_array()) bad(where, "this must be a list of numbers");
  if (list.size() != out.size()) wrong_count(where, list.size(), out.size());
  for (std::size_t i = 0; i < out.size(); ++i) {
    if (list[i].is_boolean())
      out[i] = list[i].get<bool>() ? 1 : 0;
    else
      out[i] = check(whole(list[i], where, most));
  }
}

std::span<const std::uint8_t> bytes_in(const Tree& list, const std::string& where,
                                       std::size_t wanted, std::vector<std::uint8_t>& room) {
  if (list.is_string()) {
    const std::string& text = list.get_ref<const std::string&>();
    base64_decode_ctx state;
    base64_decode_init(&state);
    room.resize(BASE64_DECODE_LENGTH(text.size()));
    std::size_t size = room.size();
    if (base64_decode_update(&state, &size, room.data(), text.size(), text.data()) != 1 ||
        base64_decode_final(&state) != 1)
      bad(where, "this is no BASE64");
    if (size != wanted) wrong_count(where, size, wanted);
    return std::span(room).first(size);
  }
  if (!list.is_binary() || !list.get_binary().has_subtype() ||
      list.get_binary().subtype() != bytes_tag)
    bad(where, "pictures must be bytes tagged 64, or in JSON a text of BASE64");
  const auto& bytes = list.get_binary();
  if (bytes.size() != wanted) wrong_count(where, bytes.size(), wanted);
  return bytes;
}

std::string bytes_of(const Tree& tree, Form form) {
  if (form == Form::text) return tree.dump(-1, ' ', false, Tree::error_handler_t::replace);
  std::string bytes;
  Tree::to_cbor(tree, nlohmann::detail::output_adapter<char>(bytes));
  return bytes;
}

}  // namespace zithercraft::remote_internal
