# What building and testing need, in one place; sourced by the other scripts.

# The oldest Rust that builds this; the same as `rust-version` in Cargo.toml, which a test compares.
RUST=1.88

say() { printf '%s\n' "$*" >&2; }

# Ends with what a person has to do.
give_up() {
  say "$*"
  say "Then run this again."
  exit 1
}

# Installs Debian packages, each named with the command that shows whether it is there: need cc=gcc,libc6-dev tmux=tmux
need() {
  local missing=() pair more
  for pair in "$@"; do
    if ! command -v "${pair%%=*}" >/dev/null; then
      IFS=, read -ra more <<<"${pair#*=}"
      missing+=("${more[@]}")
    fi
  done
  ((${#missing[@]})) || return 0
  command -v apt-get >/dev/null ||
    give_up "Missing: ${missing[*]} (as Debian calls them). There is no apt-get here: install them as your system does."
  local as_root=()
  if [[ $(id -u) -ne 0 ]]; then
    command -v sudo >/dev/null ||
      give_up "Missing: ${missing[*]}. You are not root and there is no sudo: let somebody who is root run
  apt-get install ${missing[*]}"
    as_root=(sudo)
  fi
  say "Installing from Debian: ${missing[*]}"
  if ! { "${as_root[@]}" apt-get update -qq &&
    "${as_root[@]}" apt-get install -y -qq --no-install-recommends "${missing[@]}" >&2; }; then
    give_up "That did not work. Install these as your system does: ${missing[*]}"
  fi
}

# Whether there is a cargo that is new enough.
has_rust() {
  local version
  version=$(cargo --version 2>/dev/null | cut -d' ' -f2) && [[ -n $version ]] &&
    [[ $(printf '%s\n' "$RUST" "$version" | sort -V | head -n1) == "$RUST" ]]
}

# A Rust toolchain: the one that is there, else one from rustup, which goes into ~/.rustup and ~/.cargo.
need_rust() {
  if [[ -d ${HOME:-}/.cargo/bin ]]; then PATH=$HOME/.cargo/bin:$PATH; fi
  if has_rust; then return; fi
  if command -v rustup >/dev/null; then
    say "Installing a newer Rust with rustup"
    rustup toolchain install stable --profile minimal >&2 && rustup default stable >&2 || true
  else
    need curl=curl,ca-certificates
    say "Installing Rust into ~/.rustup and ~/.cargo with rustup, from https://sh.rustup.rs (about 600 MB)"
    curl --proto '=https' --tlsv1.2 -sSf https://sh.rustup.rs | sh -s -- -y --profile minimal --no-modify-path >&2 || true
    PATH=${HOME:-}/.cargo/bin:$PATH
  fi
  has_rust || give_up "Rust $RUST or newer is needed; here is: $(cargo --version 2>/dev/null || echo none).
Install it as https://rustup.rs says, or update it with: rustup update stable"
}
