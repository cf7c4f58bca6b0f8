// The seal of a run signed: by a key of one's own (Ed25519, RFC 8032) or by the lab's certificate (X.509,
// CMS, RFC 5652), and stamped by an authority of time (RFC 3161). All of it are files in the run folder that
// openssl verifies alone.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

namespace rt::lab {

inline constexpr const char* statement_file =
    "seal.statement";  // what is signed: the seal, and of what it is
inline constexpr const char* signature_file = "seal.signature";  // 64 bytes of Ed25519, or CMS in DER
inline constexpr const char* key_file = "seal.key.pem";          // the public key, or the certificates
inline constexpr const char* stamp_file = "seal.stamp.tsr";      // the reply of the authority, in DER

enum class SignatureWorth {
    none,    // there is no signature
    broken,  // statement, signature or key do not fit each other, or the run is not the one that was signed
    self_made,  // sound, by a key that nobody here trusts
    labs,       // sound, by a key or under a certificate that is trusted
};

struct SignatureState {
    SignatureWorth worth = SignatureWorth::none;
    std::string by;         // as the statement or the certificate says
    std::string signed_;    // when, as the statement says: no proof
    std::string stamped;    // when, by an authority that is trusted; "" for none
    std::size_t later = 0;  // entries of the tally that came behind the seal that was signed
    std::string trouble;    // why it is broken, or why a stamp does not count

    // "none", "self-made: B. Quill", "lab's: B. Quill, time-stamped 2026-11-30 10:02:11 UTC" ...
    std::string text() const;
};

// `trusted`: files of PEM with public keys or certificates, of the lab and of authorities of time. Throws
// Error(input) for one that cannot be read.
SignatureState signature_of(const std::filesystem::path& run,
                            const std::vector<std::filesystem::path>& trusted);

// Signs the run as it is now. `key`: a private key in PEM; with `certificate` (PEM, the signer's first, then
// those above it) the signature is CMS, without it the key is Ed25519. An earlier signature and its stamp are
// replaced. Throws Error(input) for a key of another kind, one that does not fit the certificate, and a run
// that was altered.
void sign_run(const std::filesystem::path& run, const std::filesystem::path& key,
              const std::filesystem::path& certificate, const std::string& by);

// A new Ed25519 key: FILE for its owner alone, FILE.pub to be trusted. Never over an existing file.
void write_signing_key(const std::filesystem::path& file);

// What an authority of time is to be sent (`openssl ts`, or any client of RFC 3161): the SHA-256 of the
// signature.
void write_time_request(const std::filesystem::path& run, const std::filesystem::path& file);
// Its reply becomes part of the run. Throws Error(input) for one that grants nothing, or is of something
// else.
void take_time_reply(const std::filesystem::path& run, const std::filesystem::path& reply);

}  // namespace rt::lab
