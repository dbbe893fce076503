#pragma once

#include <cstddef>
#include <cstdint>
#include <type_traits>

namespace zithercraft::net_internal {

/// A matrix whose rows are contiguous and start on 64-byte boundaries.
template <class Scalar>
struct Rows {
  Scalar* at = nullptr;
  std::size_t count = 0;
  std::size_t stride = 0;  ///< numbers from row to row; what lies behind a row's width is 0

  Scalar* row(std::size_t i) const { return at + i * stride; }
  Rows part(std::size_t first, std::size_t n) const { return {row(first), n, stride}; }
  operator Rows<const Scalar>() const requires(!std::is_const_v<Scalar>) {
    return {at, count, stride};
  }
};

/// A matrix that is read number by number: row i, column k at at[i * row + k * column].
template <class Scalar>
struct Scattered {
  const Scalar* at = nullptr;
  std::size_t row = 0, column = 1;
};
template <class Scalar>
Scattered<Scalar> as_it_is(Rows<const Scalar> m) {
  return {m.at, m.stride, 1};
}
template <class Scalar>
Scattered<Scalar> transposed(Rows<const Scalar> m) {
  return {m.at, 1, m.stride};
}

/// The same with columns at places of their own: row i, column k at at[i * row + columns[k]].
template <class Scalar>
struct Gathered {
  const Scalar* at = nullptr;
  std::size_t row = 0;
  const std::uint32_t* columns = nullptr;
};

/// c = first + a b, with `first` in every row (none: 0). c has `count` rows of `width` numbers,
/// rounded up to whole vectors; a has `inner` columns and b as many rows. Every number is summed in
/// the order of the inner index, whatever the sizes: a row's result does not depend on the rows
/// beside it.
template <class Scalar>
void multiply(Scattered<Scalar> a, Rows<const Scalar> b, std::size_t inner, std::size_t width,
              const Scalar* first, Rows<Scalar> c);
template <class Scalar>
void multiply(Gathered<Scalar> a, Rows<const Scalar> b, std::size_t inner, std::size_t width,
              const Scalar* first, Rows<Scalar> c);
/// c += a b.
template <class Scalar>
void multiply_add(Scattered<Scalar> a, Rows<const Scalar> b, std::size_t inner, std::size_t width,
                  Rows<Scalar> c);
template <class Scalar>
void multiply_add(Gathered<Scalar> a, Rows<const Scalar> b, std::size_t inner, std::size_t width,
                  Rows<Scalar> c);

/// Results of at most this width leave half of a vector empty: `multiply_narrow` makes them in half
/// the time.
extern const std::size_t narrow_width;
/// b as `multiply_narrow` reads it, from its transpose: the numbers of every two rows in turn, a
/// vector for both.
void pair_rows(Rows<const float> transposed, std::size_t inner, float* pairs);
/// As `multiply`, or with `add` as `multiply_add`. Even and odd inner indices are summed apart.
void multiply_narrow(Rows<const float> a, const float* pairs, std::size_t inner, const float* first,
                     Rows<float> c, bool add);

/// Writes the transpose of `from` (as many columns as `to` has rows) into `to`.
void transpose(Rows<const float> from, Rows<float> to);
void transpose(Rows<const double> from, Rows<double> to);

/// sums += the sum of the rows, number by number.
template <class Scalar>
void add_rows(Rows<const Scalar> rows, std::size_t width, Scalar* sums);

}  // namespace zithercraft::net_internal
