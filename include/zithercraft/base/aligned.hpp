#pragma once

#include <algorithm>
#include <cstddef>
#include <new>
#include <span>
#include <type_traits>
#include <utility>

namespace zithercraft {

/// A fixed-size array of plain values that starts on a 64-byte boundary and is filled with zeros.
///
/// Vector code rounds differently where it has to peel off unaligned elements, so everything that
/// is summed by vector code lives in one of these: the same build then gives the same bits in every
/// process.
template <class T>
class AlignedBuffer {
  static_assert(std::is_trivially_copyable_v<T>);

 public:
  static constexpr std::size_t alignment = 64;  ///< bytes

  AlignedBuffer() = default;
  /// All zeros.
  explicit AlignedBuffer(std::size_t size) : data_(allocate(size)), size_(size) {
    std::fill_n(data_, size_, T{});
  }
  /// A copy of its own.
  AlignedBuffer(const AlignedBuffer& other) : data_(allocate(other.size_)), size_(other.size_) {
    std::copy_n(other.data_, size_, data_);
  }
  /// Takes over what the other held.
  AlignedBuffer(AlignedBuffer&& other) noexcept
      : data_(std::exchange(other.data_, nullptr)), size_(std::exchange(other.size_, 0)) {}
  /// As the constructor of that kind.
  AlignedBuffer& operator=(AlignedBuffer other) noexcept {
    std::swap(data_, other.data_);
    std::swap(size_, other.size_);
    return *this;
  }
  ~AlignedBuffer() { ::operator delete (data_, std::align_val_t{alignment}); }

  /// The first number; null if there is none.
  T* data() noexcept { return data_; }
  /// The first number; null if there is none.
  const T* data() const noexcept { return data_; }
  /// How many numbers.
  std::size_t size() const noexcept { return size_; }
  /// One of them; not checked.
  T& operator[](std::size_t i) noexcept { return data_[i]; }
  /// One of them; not checked.
  const T& operator[](std::size_t i) const noexcept { return data_[i]; }
  /// For loops over all.
  T* begin() noexcept { return data_; }
  /// For loops over all.
  T* end() noexcept { return data_ + size_; }
  /// For loops over all.
  const T* begin() const noexcept { return data_; }
  /// For loops over all.
  const T* end() const noexcept { return data_ + size_; }
  /// All of them.
  std::span<T> span() noexcept { return {data_, size_}; }
  /// All of them.
  std::span<const T> span() const noexcept { return {data_, size_}; }

 private:
  static T* allocate(std::size_t size) {
    return size == 0
               ? nullptr
               : static_cast<T*>(::operator new (size * sizeof(T), std::align_val_t{alignment}));
  }

  T* data_ = nullptr;
  std::size_t size_ = 0;
};

}  // namespace zithercraft
