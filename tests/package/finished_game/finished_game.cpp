#include <zithercraft/base/error.hpp>
#include <zithercraft/net/policy.hpp>

int main() {
  try {
    zithercraft::Policy::load("no such policy.safetensors");
  } catch (const zithercraft::Error& error) {
    return error.kind() == zithercraft::ErrorKind::file ? 0 : 1;
  }
  return 1;
}
