# Writes a C++ source that holds files as text. Run as: cmake -DOUT=... -DNAMESPACE=...
# "-DFILES=name=file;..." -P embed.cmake
set(source "#include <string_view>\nnamespace ${NAMESPACE} {\n")
foreach(item IN LISTS FILES)
  string(REGEX MATCH "^([^=]+)=(.*)$" matched "${item}")
  set(name "${CMAKE_MATCH_1}")
  file(READ "${CMAKE_MATCH_2}" bytes HEX)
  string(REGEX REPLACE "([0-9a-f][0-9a-f])" "0x\\1," bytes "${bytes}")
  string(APPEND source "static constexpr unsigned char ${name}_bytes[] = {${bytes}0};\n"
    "extern const std::string_view ${name};\n"
    "const std::string_view ${name}(reinterpret_cast<const char*>(${name}_bytes), sizeof ${name}_bytes - 1);\n")
endforeach()
string(APPEND source "}\n")
file(WRITE "${OUT}" "${source}")
