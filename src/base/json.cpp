#include "base/json.hpp"

#include <algorithm>
#include <nlohmann/json.hpp>

namespace zithercraft {
namespace {

using Text = nlohmann::ordered_json;

// Deeper texts could exhaust the stack when they are copied.
constexpr std::size_t deepest = 64;

// Builds values from what the library reads, from first to last.
class Reader : public nlohmann::json_sax<Text> {
 public:
  Json take() { return std::move(root_); }

  bool null() override { return add({}); }
  bool boolean(bool value) override { return add(value); }
  bool number_integer(std::int64_t value) override { return add(value); }
  bool number_unsigned(std::uint64_t value) override { return add(value); }
  bool number_float(double value, const std::string&) override { return add(value); }
  bool string(std::string& value) override { return add(std::move(value)); }
  bool binary(Text::binary_t&) override { return false; }
  bool start_object(std::size_t) override { return open(Json::object(), false); }
  bool start_array(std::size_t) override { return open(Json::array(), true); }
  bool key(std::string& name) override {
    key_ = std::move(name);
    return true;
  }
  bool end_object() override { return close(); }
  bool end_array() override { return close(); }
  bool parse_error(std::size_t, const std::string&,
                   const nlohmann::detail::exception& error) override {
    throw JsonError(error.what());
  }

 private:
  // Values are put where they belong only once they are whole: parents move as they grow.
  struct Open {
    Json value;
    std::string key;
    bool list;
  };
  bool open(Json value, bool list) {
    if (open_.size() == deepest) throw JsonError("it is nested too deep");
    open_.push_back({std::move(value), std::move(key_), list});
    return true;
  }
  bool close() {
    Open done = std::move(open_.back());
    open_.pop_back();
    key_ = std::move(done.key);
    return add(std::move(done.value));
  }
  bool add(Json value) {
    if (open_.empty())
      root_ = std::move(value);
    else if (open_.back().list)
      open_.back().value.push_back(std::move(value));
    else
      open_.back().value.add(std::move(key_), std::move(value));
    return true;
  }

  Json root_;
  std::vector<Open> open_;
  std::string key_;
};

struct Writer {
  Text operator()(std::monostate) const { return {}; }
  Text operator()(const auto& value) const { return value; }
  Text operator()(const Json::List& list) const {
    Text text = Text::array();
    for (const Json& item : list) text.push_back(item.visit(*this));
    return text;
  }
  Text operator()(const Json::Members& members) const {
    Text text = Text::object();
    for (const auto& [name, value] : members) text.emplace(name, value.visit(*this));
    return text;
  }
};

}  // namespace

Json::Json(const std::map<std::string, std::string>& texts) : value_(Members{}) {
  for (const auto& [name, text] : texts) (*this)[name] = text;
}

Json::Json(std::initializer_list<Json> items) {
  const auto is_member = [](const Json& item) {
    const List* pair = std::get_if<List>(&item.value_);
    return pair && pair->size() == 2 && std::holds_alternative<std::string>(pair->front().value_);
  };
  if (!std::all_of(items.begin(), items.end(), is_member)) {
    value_ = List(items);
    return;
  }
  value_ = Members{};
  for (const Json& item : items)
    (*this)[item.at(std::size_t{0}).get<std::string>()] = item.at(std::size_t{1});
}

Json Json::parse(std::string_view text) {
  Reader reader;
  Text::sax_parse(text.begin(), text.end(), &reader);
  return reader.take();
}

std::string Json::dump(int indent) const {
  return visit(Writer{}).dump(indent, ' ', false, Text::error_handler_t::replace);
}

Json Json::sorted() const {
  if (const List* list = std::get_if<List>(&value_)) {
    Json made = array();
    for (const Json& item : *list) made.push_back(item.sorted());
    return made;
  }
  if (!std::holds_alternative<Members>(value_)) return *this;
  Members made;
  for (const auto& [name, value] : members()) made.emplace_back(name, value.sorted());
  std::ranges::sort(made, {}, &Member::first);
  return Json(Kind(std::move(made)));
}

std::size_t Json::size() const {
  if (const List* list = std::get_if<List>(&value_)) return list->size();
  if (const Members* members = std::get_if<Members>(&value_)) return members->size();
  return is_null() ? 0 : 1;
}

bool Json::contains(std::string_view name) const {
  const Members* members = std::get_if<Members>(&value_);
  return members && std::ranges::find(*members, name, &Member::first) != members->end();
}

Json& Json::operator[](std::string_view name) {
  if (is_null()) value_ = Members{};
  Members* members = std::get_if<Members>(&value_);
  if (!members) throw JsonError("no object");
  const auto found = std::ranges::find(*members, name, &Member::first);
  if (found != members->end()) return found->second;
  return members->emplace_back(std::string(name), Json()).second;
}

void Json::add(std::string name, Json value) {
  Members* members = std::get_if<Members>(&value_);
  if (!members) throw JsonError("no object");
  members->emplace_back(std::move(name), std::move(value));
}

const Json& Json::at(std::string_view name) const {
  const auto found = std::ranges::find(members(), name, &Member::first);
  if (found == members().end()) throw JsonError("no member '" + std::string(name) + "'");
  return found->second;
}

const Json& Json::at(std::size_t index) const {
  if (index >= items().size()) throw JsonError("no such item");
  return items()[index];
}

Json& Json::back() {
  List* list = std::get_if<List>(&value_);
  if (!list || list->empty()) throw JsonError("no list with items");
  return list->back();
}

Json& Json::push_back(Json item) {
  if (is_null()) value_ = List{};
  List* list = std::get_if<List>(&value_);
  if (!list) throw JsonError("no list");
  return list->emplace_back(std::move(item));
}

const Json::List& Json::items() const {
  if (const List* list = std::get_if<List>(&value_)) return *list;
  throw JsonError("no list");
}

const Json::Members& Json::members() const {
  if (const Members* members = std::get_if<Members>(&value_)) return *members;
  throw JsonError("no object");
}

void Json::read(bool& value) const {
  const bool* found = std::get_if<bool>(&value_);
  if (!found) throw JsonError("neither true nor false");
  value = *found;
}

void Json::read(std::string& value) const {
  const std::string* found = std::get_if<std::string>(&value_);
  if (!found) throw JsonError("no text");
  value = *found;
}

void Json::read(double& value) const {
  if (const auto* number = std::get_if<double>(&value_))
    value = *number;
  else if (const auto* low = std::get_if<std::int64_t>(&value_))
    value = static_cast<double>(*low);
  else if (const auto* high = std::get_if<std::uint64_t>(&value_))
    value = static_cast<double>(*high);
  else
    throw JsonError("no number");
}

void Json::read(std::map<std::string, std::string>& texts) const {
  for (const auto& [name, value] : members()) texts[name] = value.get<std::string>();
}

}  // namespace zithercraft
