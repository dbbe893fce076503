# Installs the build into an empty prefix, then configures, builds and runs two projects that use
# it.
function(must)
  execute_process(COMMAND ${ARGN} RESULT_VARIABLE status)
  if(NOT status EQUAL 0)
    message(FATAL_ERROR "failed: ${ARGN}")
  endif()
endfunction()

file(REMOVE_RECURSE ${WORK})
must(${CMAKE_COMMAND} --install ${BINARY} --prefix ${WORK}/prefix)
foreach(project finished_game trainer)
  must(${CMAKE_COMMAND} -S ${SOURCE}/${project} -B ${WORK}/${project} -G Ninja
    -DCMAKE_PREFIX_PATH=${WORK}/prefix
       -DCMAKE_CXX_COMPILER=${COMPILER} -DCMAKE_BUILD_TYPE=Release)
  must(${CMAKE_COMMAND} --build ${WORK}/${project})
  must(${WORK}/${project}/${project})
endforeach()
must(${WORK}/prefix/bin/zithercraft games)
foreach(notice LICENSE THIRD-PARTY)
  if(NOT EXISTS ${WORK}/prefix/share/doc/zithercraft/${notice})
    message(FATAL_ERROR "not installed: ${notice}")
  endif()
endforeach()
