#pragma once

// Structs in JSON, from one list of their members: for each struct S there is a function template
// `members(visitor, S&)` that calls `visitor(name, member)` for each of them.

#include "base/json.hpp"

namespace zithercraft {

struct JsonWriter {
  Json json = Json::object();
  template <class T>
  void operator()(const char* name, const T& member) {
    json[name] = Json::of(member);
  }
  /// What is empty is left out.
  template <class T>
  void unless_empty(const char* name, const T& member) {
    if (!member.empty()) json[name] = Json::of(member);
  }
};

struct JsonReader {
  const Json& json;
  template <class T>
  void operator()(const char* name, T& member) const {
    member = json.at(name).get<T>();
  }
  template <class T>
  void unless_empty(const char* name, T& member) const {
    if (json.contains(name)) member = json.at(name).get<T>();
  }
};

template <class Struct>
concept HasMembers = requires(JsonWriter& visitor, Struct& item) {
  members(visitor, item);
};

template <HasMembers Struct>
Json json_of(const Struct& item) {
  JsonWriter writer;
  Struct copy = item;  // `members` takes its subject by reference for the reader's sake
  members(writer, copy);
  return std::move(writer.json);
}

template <HasMembers Struct>
void from_json(const Json& json, Struct& item) {
  JsonReader reader{json};
  members(reader, item);
}

}  // namespace zithercraft
