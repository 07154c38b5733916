using System;
using System.Collections.Generic;
using System.IO;
using System.Linq;
using System.Reflection;
using System.Threading.Tasks;

namespace Emballage.Host
{
    /// <summary>There is no method of the name, or there are several.</summary>
    sealed class NoMember : Exception
    {
        public readonly string Found;
        public readonly List<string> Members;

        public NoMember(string found, List<string> members)
            : base("no single public method of that name, but " + string.Join(", ", members))
        {
            Found = found;
            Members = members;
        }
    }

    /// <summary>The method that is called with events.</summary>
    sealed class Member
    {
        readonly MethodInfo method;
        readonly object target;

        Member(MethodInfo method, object target)
        {
            this.method = method;
            this.target = target;
        }

        /// <param name="file">Path of the assembly.</param>
        /// <param name="member">`Namespace.Type.Method`.</param>
        public static Member Load(string file, string member)
        {
            Beside.Resolve(file);
            Assembly assembly = Assembly.LoadFrom(file);
            int dot = member.LastIndexOf('.');
            string typeName = dot < 0 ? "" : member.Substring(0, dot);
            Type type = assembly.GetType(typeName, false);
            if (type == null) throw new NoMember("undefined", assembly.GetExportedTypes().Select(one => one.FullName).OrderBy(one => one, StringComparer.Ordinal).ToList());
            var methods = type.GetMethods().Where(one => one.DeclaringType != typeof(object) && !one.IsSpecialName).ToList();
            var members = methods.Select(one => typeName + "." + one.Name).Distinct().OrderBy(one => one, StringComparer.Ordinal).ToList();
            var named = methods.Where(one => one.Name == member.Substring(dot + 1)).ToList();
            if (named.Count != 1) throw new NoMember(named.Count == 0 ? "undefined" : named.Count + " methods of that name", members);
            if (!type.IsVisible) throw new NoMember("method of a type that is not public", members);
            int count = named[0].GetParameters().Length;
            if (count == 0 || count > 2) throw new NoMember("method with " + count + " parameters, where an event and a context are given", members);
            try
            {
                return new Member(named[0], named[0].IsStatic ? null : Activator.CreateInstance(type));
            }
            catch (TargetInvocationException error)
            {
                throw error.InnerException ?? error;
            }
        }

        /// <summary>What it gives back; what comes later is waited for.</summary>
        public object Invoke(object given, Dictionary<string, object> context)
        {
            try
            {
                ParameterInfo[] taken = method.GetParameters();
                var values = new object[taken.Length];
                values[0] = Shape.As(given, taken[0].ParameterType);
                if (taken.Length > 1) values[1] = context;
                return Settled(method.Invoke(target, values));
            }
            catch (TargetInvocationException error)
            {
                System.Runtime.ExceptionServices.ExceptionDispatchInfo.Capture(error.InnerException ?? error).Throw();
                throw;
            }
        }

        static object Settled(object value)
        {
            if (value == null) return null;
            Type type = value.GetType();
            if (type.FullName.StartsWith("System.Threading.Tasks.ValueTask", StringComparison.Ordinal))
                return Settled(type.GetMethod("AsTask").Invoke(value, null));
            var task = value as Task;
            if (task == null) return value;
            task.GetAwaiter().GetResult();
            PropertyInfo result = type.GetProperty("Result");
            return result == null || result.PropertyType.Name == "VoidTaskResult" ? null : result.GetValue(value, null);
        }
    }

    /// <summary>Finds what lies beside a function: assemblies, and native libraries that they call.</summary>
    static class Beside
    {
        public static void Resolve(string file)
        {
            string folder = Path.GetDirectoryName(Path.GetFullPath(file));
            // The host's own reader of `deps.json`, where this runs in it; it was not there to be compiled against.
            Type reader = Type.GetType("System.Runtime.Loader.AssemblyDependencyResolver, System.Runtime.Loader", false);
            object known = reader == null ? null : Activator.CreateInstance(reader, file);
            MethodInfo managed = reader == null ? null : reader.GetMethod("ResolveAssemblyToPath");
            AppDomain.CurrentDomain.AssemblyResolve += (sender, wanted) =>
            {
                var name = new AssemblyName(wanted.Name);
                var path = known == null ? null : (string)managed.Invoke(known, new object[] { name });
                string culture = name.CultureInfo == null ? "" : name.CultureInfo.Name;
                string usual = Path.Combine(Path.Combine(folder, culture), name.Name + ".dll");
                return path != null ? Assembly.LoadFrom(path) : File.Exists(usual) ? Assembly.LoadFrom(usual) : null;
            };
            if (known != null) ResolveNative(known, reader.GetMethod("ResolveUnmanagedDllToPath"), folder);
        }

        static void ResolveNative(object known, MethodInfo reads, string folder)
        {
            Type contexts = Type.GetType("System.Runtime.Loader.AssemblyLoadContext, System.Runtime.Loader", false);
            Type libraries = Type.GetType("System.Runtime.InteropServices.NativeLibrary, System.Runtime.InteropServices", false)
                ?? typeof(object).Assembly.GetType("System.Runtime.InteropServices.NativeLibrary");
            EventInfo resolving = contexts == null ? null : contexts.GetEvent("ResolvingUnmanagedDll");
            if (resolving == null || libraries == null) return;
            MethodInfo load = libraries.GetMethod("Load", new[] { typeof(string) });
            Func<Assembly, string, IntPtr> find = (assembly, name) =>
            {
                var path = (string)reads.Invoke(known, new object[] { name });
                foreach (string usual in new[] { name, name + ".so", "lib" + name + ".so" })
                    if (path == null && File.Exists(Path.Combine(folder, usual))) path = Path.Combine(folder, usual);
                return path == null ? IntPtr.Zero : (IntPtr)load.Invoke(null, new object[] { path });
            };
            resolving.AddEventHandler(contexts.GetProperty("Default").GetValue(null, null), find);
        }
    }
}
