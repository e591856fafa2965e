# Turns the files below a folder into a C++ source, so that `greymet demo` needs nothing but itself.
function(greymet_embed_examples folder output)
  file(GLOB_RECURSE files RELATIVE ${folder} CONFIGURE_DEPENDS ${folder}/*.toml ${folder}/*.csv ${folder}/*.txt)
  list(SORT files)
  set(inputs "")
  foreach(file IN LISTS files)
    list(APPEND inputs ${folder}/${file})
  endforeach()
  add_custom_command(
    OUTPUT ${output}
    COMMAND ${CMAKE_COMMAND} -DFOLDER=${folder} -DOUTPUT=${output} "-DFILES=${files}"
            -P ${CMAKE_SOURCE_DIR}/cmake/WriteEmbedded.cmake
    DEPENDS ${inputs} ${CMAKE_SOURCE_DIR}/cmake/WriteEmbedded.cmake
    VERBATIM)
endfunction()
