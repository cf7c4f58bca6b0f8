// Files: read whole, written so that no half of one is ever seen, and fingerprinted.
#pragma once

#include <filesystem>
#include <string>
#include <string_view>

namespace rt::lab {

// Throws Error(input) saying which file cannot be read and why.
std::string read_file(const std::filesystem::path& path);

// Written beside its final name, flushed to the disk, then renamed. Throws Error(output).
void write_file(const std::filesystem::path& path, std::string_view content);

// Appends a line to a file, which is made when it is not there. Half a line at its end, which a power cut or
// a full disk left, is cut off first. Throws Error(output).
void append_line(const std::filesystem::path& path, std::string_view line);

// False for paths that lead out of the folder they are taken in, by "..", or by beginning at the root.
bool stays_inside(const std::filesystem::path& relative);

// Makes the folder and those above it. Throws Error(input): the operator named it.
void make_folder(const std::filesystem::path& path);

// SHA-256 (FIPS 180-4) as 64 hexadecimal digits.
std::string sha256(std::string_view content);
// SHA-512 as 128 hexadecimal digits.
std::string sha512(std::string_view content);
// The same of files of any length, a piece at a time. Throws Error(input) when one cannot be read.
std::string sha256_of_file(const std::filesystem::path& path);
std::string sha512_of_file(const std::filesystem::path& path);

std::string base64(std::string_view content);
// And back; "" for what is none.
std::string from_base64(std::string_view text);

}  // namespace rt::lab
