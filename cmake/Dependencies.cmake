find_package(PkgConfig REQUIRED)
pkg_check_modules(FFMPEG REQUIRED IMPORTED_TARGET
  libavformat libavcodec libavfilter libavutil libswscale libswresample)
# OpenCV's own package file comes only with libopencv-dev, which pulls in every module and VTK; the
# modules that are used are found one by one instead.
find_path(OPENCV_INCLUDE opencv2/core.hpp PATH_SUFFIXES opencv4 REQUIRED)
set(OPENCV_TARGETS)
foreach(module core imgproc flann features2d calib3d video imgcodecs)
  find_library(OPENCV_${module} opencv_${module} REQUIRED)
  add_library(opencv::${module} UNKNOWN IMPORTED)
  set_target_properties(opencv::${module} PROPERTIES
    IMPORTED_LOCATION ${OPENCV_${module}} INTERFACE_INCLUDE_DIRECTORIES ${OPENCV_INCLUDE})
  list(APPEND OPENCV_TARGETS opencv::${module})
endforeach()
find_package(Eigen3 REQUIRED)
find_package(Ceres REQUIRED)
find_package(TBB REQUIRED)
pkg_check_modules(HWY REQUIRED IMPORTED_TARGET libhwy)
find_package(nlohmann_json REQUIRED)
find_package(CLI11 REQUIRED)
find_package(fmt REQUIRED)
if(GLENHAZE_DESKTOP)
  find_package(Qt6 6.4 REQUIRED COMPONENTS Widgets Svg Concurrent Test)
endif()
