module ironthread

go 1.26

require (
	github.com/spf13/cobra v1.10.2
	github.com/stretchr/testify v1.12.1
	go.yaml.in/yaml/v3 v3.0.6
)

require (
	github.com/inconshreveable/mousetrap v1.1.0 // indirect
	github.com/spf13/pflag v1.0.9 // indirect
	gonum.org/v1/gonum v0.17.0 // indirect
)
