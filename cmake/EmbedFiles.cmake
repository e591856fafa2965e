# Turns files of a folder into a C++ source, so that the program needs nothing but itself: `function`
# gives them. The rest of the arguments are patterns.
function(greymet_embed folder function output)
  list(TRANSFORM ARGN PREPEND ${folder}/ OUTPUT_VARIABLE patterns)
  file(GLOB_RECURSE files RELATIVE ${folder} CONFIGURE_DEPENDS ${patterns})
  list(SORT files)
  set(inputs "")
  foreach(file IN LISTS files)
    list(APPEND inputs ${folder}/${file})
  endforeach()
  add_custom_command(
    OUTPUT ${output}
    COMMAND ${CMAKE_COMMAND} -DFOLDER=${folder} -DOUTPUT=${output} -DFUNCTION=${function} "-DFILES=${files}"
            -P ${CMAKE_SOURCE_DIR}/cmake/WriteEmbedded.cmake
    DEPENDS ${inputs} ${CMAKE_SOURCE_DIR}/cmake/WriteEmbedded.cmake
    VERBATIM)
endfunction()
