#include "arena/files/read_npy.hpp"

#include <algorithm>
#include <array>
#include <bit>
#include <charconv>
#include <cstdint>
#include <cstring>
#include <string_view>

#include "zithercraft/base/error.hpp"

namespace zithercraft::arena_internal {
namespace {

constexpr std::size_t most_values = 4'000'000;

[[noreturn]] void wrong_npy(const std::string& problem, const std::string& where) {
  throw Error(ErrorKind::file, problem, where, "save it with numpy.save");
}

// What stands behind a key of the header, a dictionary written as Python would: 'key': value.
std::string_view value_of(std::string_view header, std::string_view key, const std::string& where) {
  std::string quoted("'");
  quoted.append(key).append("':");
  const std::size_t at = header.find(quoted);
  if (at == std::string_view::npos) wrong_npy("the .npy header lacks " + std::string(key), where);
  std::string_view value = header.substr(at + quoted.size());
  value.remove_prefix(std::min(value.find_first_not_of(' '), value.size()));
  return value;
}

template <class T>
double number(const char* from, bool swap) {
  std::array<char, sizeof(T)> bytes;
  std::memcpy(bytes.data(), from, sizeof(T));
  if (swap) std::reverse(bytes.begin(), bytes.end());
  return static_cast<double>(std::bit_cast<T>(bytes));
}

using Reader = double (*)(const char*, bool);

struct Type {
  std::string_view code;
  std::size_t width;
  Reader read;
};

constexpr std::array<Type, 11> types{{{"b1", 1, &number<std::uint8_t>},
                                      {"u1", 1, &number<std::uint8_t>},
                                      {"i1", 1, &number<std::int8_t>},
                                      {"u2", 2, &number<std::uint16_t>},
                                      {"i2", 2, &number<std::int16_t>},
                                      {"u4", 4, &number<std::uint32_t>},
                                      {"i4", 4, &number<std::int32_t>},
                                      {"u8", 8, &number<std::uint64_t>},
                                      {"i8", 8, &number<std::int64_t>},
                                      {"f4", 4, &number<float>},
                                      {"f8", 8, &number<double>}}};

}  // namespace

NpyArray read_npy(const std::string& bytes, const std::string& where) {
  constexpr std::string_view magic("\x93NUMPY", 6);
  if (bytes.size() < 10 || !bytes.starts_with(magic)) wrong_npy("this is no .npy file", where);
  const auto byte = [&](std::size_t i) {
    return static_cast<std::size_t>(static_cast<unsigned char>(bytes[i]));
  };
  const std::size_t version = byte(6);
  if (version < 1 || version > 3) wrong_npy("this version of .npy is not known", where);
  const std::size_t start = version == 1 ? 10 : 12;
  if (bytes.size() < start) wrong_npy("the .npy file is cut off", where);
  const std::size_t length = version == 1
                                 ? byte(8) | byte(9) << 8
                                 : byte(8) | byte(9) << 8 | byte(10) << 16 | byte(11) << 24;
  if (length > bytes.size() - start) wrong_npy("the .npy file is cut off", where);
  const std::string_view header = std::string_view(bytes).substr(start, length);

  const std::string_view descr = value_of(header, "descr", where);
  if (descr.size() < 5 || descr[0] != '\'' ||
      std::string_view("<>|=").find(descr[1]) == std::string_view::npos)
    wrong_npy("the .npy file does not hold plain numbers", where);
  const auto type = std::find_if(types.begin(), types.end(), [&](const Type& t) {
    return descr.substr(2, 2) == t.code && descr[4] == '\'';
  });
  if (type == types.end()) wrong_npy("the .npy file does not hold plain numbers", where);
  if (value_of(header, "fortran_order", where).starts_with("True"))
    throw Error(ErrorKind::file, "the .npy file is in column order", where,
                "save numpy.ascontiguousarray of it");

  NpyArray array;
  std::string_view shape = value_of(header, "shape", where);
  if (!shape.starts_with('(')) wrong_npy("the .npy header has no shape", where);
  shape = shape.substr(1, std::min(shape.find(')'), shape.size()) - 1);
  std::size_t count = 1;
  while (true) {
    const std::size_t from = shape.find_first_not_of(" ,");
    if (from == std::string_view::npos) break;
    shape.remove_prefix(from);
    std::size_t side = 0;
    const auto [stop, error] = std::from_chars(shape.data(), shape.data() + shape.size(), side);
    if (error != std::errc{} || array.shape.size() == 8)
      wrong_npy("the .npy header has no shape", where);
    if (side == 0 || side > most_values || count > most_values / side)
      throw Error(ErrorKind::file, "the .npy array is empty or has more than 4 million numbers",
                  where, "use a smaller one");
    count *= side;
    array.shape.push_back(side);
    shape.remove_prefix(static_cast<std::size_t>(stop - shape.data()));
  }
  if (bytes.size() - start - length != count * type->width)
    wrong_npy("the .npy file is cut off or too long", where);
  array.values.resize(count);
  const char* data = bytes.data() + start + length;
  for (std::size_t i = 0; i < count; ++i)
    array.values[i] = type->read(data + i * type->width, descr[1] == '>');
  return array;
}

}  // namespace zithercraft::arena_internal
