# The fuzzers of what is read in the program's own process: ./dev fuzz READER.
target_compile_options(ovrix_flags INTERFACE -fsanitize=fuzzer-no-link,address,undefined -Wno-error -Wno-unknown-warning-option)
target_link_options(ovrix_flags INTERFACE -fsanitize=address,undefined)
foreach(reader scene recipe ply csv usda image state bake)
  add_executable(fuzz-${reader} fuzz/readers.cpp)
  target_compile_definitions(fuzz-${reader} PRIVATE OVRIX_READER_${reader})
  target_link_libraries(fuzz-${reader} PRIVATE ovrix_core)
  target_link_options(fuzz-${reader} PRIVATE -fsanitize=fuzzer)
endforeach()
