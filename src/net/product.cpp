#include "net/product.hpp"

#include <algorithm>
#include <cstring>

#include "net/vectors.hpp"

// Products of small matrices. A block of the result is held in registers while the inner index
// runs: its rows times a few vectors of its width, chosen so that the multipliers of the processor
// are busy in every cycle. The inner index is cut into stretches whose part of b stays in the
// first-level cache.

namespace zithercraft::net_internal {
namespace {

// For the block; the rest hold a and b.
constexpr std::size_t registers = vector_bytes == 64 ? 24 : 12;
constexpr std::size_t most_vectors = vector_bytes == 64 ? 4 : 2;
constexpr std::size_t most_rows = 10;
constexpr std::size_t stretch = 128;

template <std::size_t vectors>
constexpr std::size_t block_rows = std::min(most_rows, registers / vectors);

/// Reads a few rows of the left matrix.
template <class Left, std::size_t rows>
struct Reader;
template <class Scalar, std::size_t rows>
struct Reader<Scattered<Scalar>, rows> {
  explicit Reader(Scattered<Scalar> left) : a(left) {}
  Scalar at(std::size_t i, std::size_t k) const { return a.at[i * a.row + k * a.column]; }
  Scattered<Scalar> a;
};
template <class Scalar, std::size_t rows>
struct Reader<Gathered<Scalar>, rows> {
  explicit Reader(Gathered<Scalar> a) : columns(a.columns) {
#pragma GCC unroll 10
    for (std::size_t i = 0; i < rows; ++i) {
      row[i] = a.at + i * a.row;
      // Each keeps a register: compilers would go from row to row by sums that wait for each other.
      asm("" : "+r"(row[i]));
    }
  }
  Scalar at(std::size_t i, std::size_t k) const { return row[i][columns[k]]; }
  const std::uint32_t* columns;
  const Scalar* row[rows];
};

template <class Scalar>
Scattered<Scalar> without_columns(Scattered<Scalar> a, std::size_t k) {
  return {a.at + k * a.column, a.row, a.column};
}
template <class Scalar>
Gathered<Scalar> without_columns(Gathered<Scalar> a, std::size_t k) {
  return {a.at, a.row, a.columns + k};
}
template <class Left>
Left without_rows(Left a, std::size_t i) {
  a.at += i * a.row;
  return a;
}

template <std::size_t rows, std::size_t vectors, bool add, class Left, class Scalar>
void block(Left a, const Scalar* b, std::size_t b_stride, std::size_t inner, const Scalar* first,
           Scalar* c, std::size_t c_stride) {
  constexpr std::size_t w = vec_width<Scalar>;
  Vec<Scalar> sum[rows][vectors];
#pragma GCC unroll 10
  for (std::size_t i = 0; i < rows; ++i)
#pragma GCC unroll 4
    for (std::size_t j = 0; j < vectors; ++j) {
      if constexpr (add) {
        sum[i][j] = vec_at(c + i * c_stride + j * w);
      } else {
        sum[i][j] = first != nullptr ? vec_at(first + j * w) : Vec<Scalar>{};
      }
    }
  const Reader<Left, rows> left(a);
  for (std::size_t k = 0; k < inner; ++k) {
    Vec<Scalar> beside[vectors];
#pragma GCC unroll 4
    for (std::size_t j = 0; j < vectors; ++j) beside[j] = vec_at(b + k * b_stride + j * w);
#pragma GCC unroll 10
    for (std::size_t i = 0; i < rows; ++i) {
      const Scalar factor = left.at(i, k);
#pragma GCC unroll 4
      for (std::size_t j = 0; j < vectors; ++j) sum[i][j] += beside[j] * factor;
    }
  }
#pragma GCC unroll 10
  for (std::size_t i = 0; i < rows; ++i)
#pragma GCC unroll 4
    for (std::size_t j = 0; j < vectors; ++j) vec_at(c + i * c_stride + j * w) = sum[i][j];
}

// A block of just so many rows, at most `rows`.
template <std::size_t rows, std::size_t vectors, bool add, class Left, class Scalar>
void block_of(std::size_t count, Left a, const Scalar* b, std::size_t b_stride, std::size_t inner,
              const Scalar* first, Scalar* c, std::size_t c_stride) {
  if (count == rows) {
    block<rows, vectors, add>(a, b, b_stride, inner, first, c, c_stride);
  } else if constexpr (rows > 1) {
    block_of<rows - 1, vectors, add>(count, a, b, b_stride, inner, first, c, c_stride);
  }
}

// The last rows that make more than one block are halved: blocks of few rows wait for their sums.
template <std::size_t vectors, bool add, class Left, class Scalar>
void panel(std::size_t count, Left a, const Scalar* b, std::size_t b_stride, std::size_t inner,
           const Scalar* first, Scalar* c, std::size_t c_stride) {
  constexpr std::size_t rows = block_rows<vectors>;
  for (std::size_t i = 0; i < count;) {
    const std::size_t left = count - i, now = left >= 2 * rows ? rows
                                              : left > rows    ? (left + 1) / 2
                                                               : left;
    block_of<rows, vectors, add>(now, without_rows(a, i), b, b_stride, inner, first,
                                 c + i * c_stride, c_stride);
    i += now;
  }
}

template <bool add, class Left, class Scalar>
void panels(Left a, Rows<const Scalar> b, std::size_t inner, std::size_t width, const Scalar* first,
            Rows<Scalar> c) {
  constexpr std::size_t w = vec_width<Scalar>;
  for (std::size_t j = 0; j < width;) {
    const std::size_t vectors = std::min(most_vectors, (width - j + w - 1) / w);
    const Scalar* beside = b.at + j;
    const Scalar* start = first == nullptr ? nullptr : first + j;
    if (vectors == 1) panel<1, add>(c.count, a, beside, b.stride, inner, start, c.at + j, c.stride);
    if (vectors == 2) panel<2, add>(c.count, a, beside, b.stride, inner, start, c.at + j, c.stride);
    if constexpr (most_vectors > 2) {
      if (vectors == 3)
        panel<3, add>(c.count, a, beside, b.stride, inner, start, c.at + j, c.stride);
      if (vectors == 4)
        panel<4, add>(c.count, a, beside, b.stride, inner, start, c.at + j, c.stride);
    }
    j += vectors * w;
  }
}

}  // namespace

namespace {

template <class Left, class Scalar>
void add_product(Left a, Rows<const Scalar> b, std::size_t inner, std::size_t width,
                 Rows<Scalar> c) {
  for (std::size_t k = 0; k < inner; k += stretch)
    panels<true>(without_columns(a, k), Rows<const Scalar>{b.row(k), b.count, b.stride},
                 std::min(stretch, inner - k), width, static_cast<const Scalar*>(nullptr), c);
}

template <class Left, class Scalar>
void set_product(Left a, Rows<const Scalar> b, std::size_t inner, std::size_t width,
                 const Scalar* first, Rows<Scalar> c) {
  const std::size_t now = std::min(stretch, inner);
  panels<false>(a, b, now, width, first, c);
  if (now < inner)
    add_product(without_columns(a, now), Rows<const Scalar>{b.row(now), b.count, b.stride},
                inner - now, width, c);
}

}  // namespace

template <class Scalar>
void multiply(Scattered<Scalar> a, Rows<const Scalar> b, std::size_t inner, std::size_t width,
              const Scalar* first, Rows<Scalar> c) {
  set_product(a, b, inner, width, first, c);
}
template <class Scalar>
void multiply(Gathered<Scalar> a, Rows<const Scalar> b, std::size_t inner, std::size_t width,
              const Scalar* first, Rows<Scalar> c) {
  set_product(a, b, inner, width, first, c);
}
template <class Scalar>
void multiply_add(Scattered<Scalar> a, Rows<const Scalar> b, std::size_t inner, std::size_t width,
                  Rows<Scalar> c) {
  add_product(a, b, inner, width, c);
}
template <class Scalar>
void multiply_add(Gathered<Scalar> a, Rows<const Scalar> b, std::size_t inner, std::size_t width,
                  Rows<Scalar> c) {
  add_product(a, b, inner, width, c);
}

namespace {

// A square of vectors: in each round the lanes of two vectors, one from each half, take turns.
void transpose_square(Vec<float> (&rows)[vec_width<float>]) {
  constexpr std::size_t w = vec_width<float>, half = w / 2;
  VectorOf<float>::whole lower{}, upper{};
  for (std::uint32_t lane = 0; lane < w; ++lane) {
    const auto from = static_cast<std::uint32_t>(lane / 2 + (lane % 2) * w);
    lower[lane] = from;
    upper[lane] = from + static_cast<std::uint32_t>(half);
  }
  for (std::size_t round = 1; round < w; round *= 2) {
    Vec<float> mixed[w];
#pragma GCC unroll 16
    for (std::size_t i = 0; i < half; ++i) {
      mixed[2 * i] = chosen(rows[i], rows[i + half], lower);
      mixed[2 * i + 1] = chosen(rows[i], rows[i + half], upper);
    }
#pragma GCC unroll 16
    for (std::size_t i = 0; i < w; ++i) rows[i] = mixed[i];
  }
}

}  // namespace

void transpose(Rows<const float> from, Rows<float> to) {
  constexpr std::size_t w = vec_width<float>;
  for (std::size_t r = 0; r < from.count; r += w)
    for (std::size_t k = 0; k < to.count; k += w) {
      Vec<float> square[w]{};
      for (std::size_t i = 0; i < std::min(w, from.count - r); ++i)
        square[i] = vec_at(from.row(r + i) + k);
      transpose_square(square);
      for (std::size_t i = 0; i < std::min(w, to.count - k); ++i)
        vec_at(to.row(k + i) + r) = square[i];
    }
}
void transpose(Rows<const double> from, Rows<double> to) {
  for (std::size_t r = 0; r < from.count; ++r)
    for (std::size_t k = 0; k < to.count; ++k) to.row(k)[r] = from.row(r)[k];
}

template <class Scalar>
void add_rows(Rows<const Scalar> rows, std::size_t width, Scalar* sums) {
  constexpr std::size_t w = vec_width<Scalar>;
  for (std::size_t j = 0; j < width; j += w) {
    Vec<Scalar> sum = vec_at(sums + j);
    for (std::size_t r = 0; r < rows.count; ++r) sum += vec_at(rows.row(r) + j);
    vec_at(sums + j) = sum;
  }
}

const std::size_t narrow_width = vec_width<float> / 2;

void pair_rows(Rows<const float> transposed, std::size_t inner, float* pairs) {
  constexpr std::size_t w = vec_width<float>;
  std::fill_n(pairs, (inner + 1) / 2 * w, 0.0f);
  for (std::size_t o = 0; o < transposed.count; ++o)
    for (std::size_t k = 0; k < inner; ++k) pairs[k / 2 * w + 2 * o + k % 2] = transposed.row(o)[k];
}

namespace {

// Two neighbours, again and again.
Vec<float> both_of(const float* neighbours) {
  using Twos __attribute__((vector_size(vector_bytes), may_alias)) = std::uint64_t;
  std::uint64_t bits;
  std::memcpy(&bits, neighbours, sizeof bits);
  return (Vec<float>)(Twos{} + bits);
}

template <std::size_t rows>
void narrow_block(Rows<const float> a, const float* pairs, std::size_t inner, const float* first,
                  Rows<float> c, bool add) {
  constexpr std::size_t w = vec_width<float>;
  Vec<float> sum[rows]{};
  for (std::size_t k = 0; k < inner; k += 2) {
    const Vec<float> beside = vec_at(pairs + k / 2 * w);
#pragma GCC unroll 10
    for (std::size_t i = 0; i < rows; ++i) sum[i] += beside * both_of(a.row(i) + k);
  }
  VectorOf<float>::whole partners{}, together{};  // a lane of nothing beyond the results
  for (std::uint32_t lane = 0; lane < w; ++lane) {
    partners[lane] = lane ^ 1;
    together[lane] = 2 * lane < w ? 2 * lane : w;
  }
#pragma GCC unroll 10
  for (std::size_t i = 0; i < rows; ++i) {
    const Vec<float> start = add                ? vec_at(c.row(i))
                             : first != nullptr ? vec_at(first)
                                                : Vec<float>{};
    vec_at(c.row(i)) =
        start + chosen(sum[i] + chosen(sum[i], sum[i], partners), Vec<float>{}, together);
  }
}

}  // namespace

void multiply_narrow(Rows<const float> a, const float* pairs, std::size_t inner, const float* first,
                     Rows<float> c, bool add) {
  std::size_t i = 0;
  for (; i + most_rows <= c.count; i += most_rows)
    narrow_block<most_rows>(a.part(i, most_rows), pairs, inner, first, c.part(i, most_rows), add);
  for (; i < c.count; ++i) narrow_block<1>(a.part(i, 1), pairs, inner, first, c.part(i, 1), add);
}

template void multiply(Scattered<float>, Rows<const float>, std::size_t, std::size_t, const float*,
                       Rows<float>);
template void multiply_add(Scattered<float>, Rows<const float>, std::size_t, std::size_t,
                           Rows<float>);
template void multiply(Gathered<float>, Rows<const float>, std::size_t, std::size_t, const float*,
                       Rows<float>);
template void multiply_add(Gathered<float>, Rows<const float>, std::size_t, std::size_t,
                           Rows<float>);
template void add_rows(Rows<const float>, std::size_t, float*);
template void multiply(Scattered<double>, Rows<const double>, std::size_t, std::size_t,
                       const double*, Rows<double>);
template void multiply_add(Scattered<double>, Rows<const double>, std::size_t, std::size_t,
                           Rows<double>);
template void multiply(Gathered<double>, Rows<const double>, std::size_t, std::size_t,
                       const double*, Rows<double>);
template void multiply_add(Gathered<double>, Rows<const double>, std::size_t, std::size_t,
                           Rows<double>);
template void add_rows(Rows<const double>, std::size_t, double*);

}  // namespace zithercraft::net_internal
